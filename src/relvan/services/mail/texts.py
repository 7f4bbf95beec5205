"""Texts of mails: saving, deleting, and showing one over a real order."""

from dataclasses import replace

from relvan.core.mail.texts import MailText, WrittenMail, check_mail_text, write_mail
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.services import audit
from relvan.services.mail.places import places_of_orders
from relvan.services.orders.rule_book import rules_with_mail
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_names
from relvan.store.mailing import mail_text_row, mail_texts, text_of_row
from relvan.store.orders import order_by_number
from relvan.store.session import Session
from relvan.store.tables import MailTextRow

MOST_TEXTS = 200


def save_mail_text(workplace: Workplace, actor: Actor, text: MailText) -> int:
    """Creates a text, or changes the one with its id; returns the id.

    Raises:
        Refused: if the text cannot be read, or names a place that there is not.
    """
    actor.must(Right.SETUP)
    text = replace(text, name=text.name.strip())
    with workplace.database.writing() as session:
        _check(session, text)
        if text.id:
            row = mail_text_row(session, text.id)
        else:
            if len(mail_texts(session)) >= MOST_TEXTS:
                message = f"There are {MOST_TEXTS} texts, which is the most."
                raise refuse("too-many", message, "Delete one that is not used.")
            row = MailTextRow()
            session.add(row)
        row.name, row.event, row.automatic = text.name, str(text.event), text.automatic
        row.subject, row.body = text.subject.strip(), text.text.replace("\r\n", "\n")
        row.channel, row.language = text.channel, text.language
        session.flush()
        deed = f"text “{text.name}” {'changed' if text.id else 'created'}"
        audit.record(session, actor, workplace.now(), audit.Subject("mail text", row.id), deed)
        return row.id


def _check(session: Session, text: MailText) -> None:
    channels = [key for key, _ in channel_names(session, ended=True)]
    refuse_if_any(check_mail_text(text, channels))


def delete_mail_text(workplace: Workplace, actor: Actor, text_id: int) -> MailText:
    """Deletes a text; returns it, so that it can be created again. Mails that were written stay.

    Raises:
        Refused: if a rule sends it.
    """
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = mail_text_row(session, text_id)
        if rules := rules_with_mail(session, text_id):
            message = f"The rule “{rules[0]}” sends this text."
            raise refuse("in-use", message, "Change or delete the rule first.")
        text = text_of_row(row)
        session.delete(row)
        deed = f"text “{text.name}” deleted"
        audit.record(session, actor, workplace.now(), audit.Subject("mail text", text_id), deed)
        return text


def preview_mail(workplace: Workplace, text: MailText, number: str) -> WrittenMail:
    """Returns a text, saved or not, as an order would get it; nothing is sent."""
    with workplace.database.reading() as session:
        _check(session, text)
        order = order_by_number(session, number)
        places = places_of_orders(session, workplace, [order], text.language)[order.id]
    return write_mail(text, places)
