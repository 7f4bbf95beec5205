"""Writes mails to customers: by themselves when something happens, or because somebody or a rule says
so. A mail is written in the transaction of what it tells of; the worker sends it.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from relvan.core.mail.life import MailState
from relvan.core.mail.texts import (
    NO_CHANNEL,
    MailEvent,
    MailText,
    choose_text,
    languages_of,
    write_mail,
)
from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.setup.mail import is_mail_address
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import Changes, MailWish
from relvan.services.mail.places import places_of_estimate, places_of_invoice, places_of_orders
from relvan.services.setup.mail import new_message_id, no_mail_server
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_keys, order_policies
from relvan.store.customers import address_of_order, customer_by_id, estimate_by_number
from relvan.store.database import after_commit
from relvan.store.mail import has_mail_server, mail_server_of
from relvan.store.mailing import (
    add_mails,
    mail_text_row,
    mail_texts,
    mailed_lately,
    text_of_row,
)
from relvan.store.order_lines import orders_by_id
from relvan.store.orders import order_by_number
from relvan.store.session import Session
from relvan.store.tables import Order

NOT_TWICE_WITHIN = timedelta(minutes=5)
# events of a shipment: their mails name its parcels
OF_SHIPMENTS = (MailEvent.SHIPPED, MailEvent.DELIVERED, MailEvent.LATE)


@dataclass(frozen=True)
class _Desk:
    """What writing needs: the sender, all texts, the keys of channels, and the events of which each
    channel's customers are mailed."""

    sender: str
    texts: Sequence[MailText]
    channels: dict[int, str]
    mailed: dict[int | None, tuple[str, ...]]


@dataclass(frozen=True)
class _Letter:
    """Who writes which text to whom."""

    sender: str
    text: MailText
    to: str


def follow_with_mail(session: Session, workplace: Workplace, changes: Changes) -> None:
    """Writes the mails that are due to what has happened in this transaction. Nothing is written
    while there is no mail server, no text for it, or no address."""
    wishes = changes.take_mails()
    if not wishes or not has_mail_server(session):
        return
    server, texts = mail_server_of(session), mail_texts(session)
    if server is None or not texts:
        return
    session.flush()
    found = orders_by_id(session, {wish.order_id for wish in wishes})
    orders = {order.id: order for order in found}
    ids = {order.channel_id for order in orders.values()}
    policies = order_policies(session, ids)
    desk = _Desk(
        server.sender,
        texts,
        channel_keys(session),
        {channel_id: policies[channel_id].mails for channel_id in ids if channel_id is not None},
    )
    rows = [
        row
        for wish in wishes
        if (row := _row_of_wish(session, workplace, desk, orders[wish.order_id], wish)) is not None
    ]
    _keep(session, workplace, rows)


def _row_of_wish(
    session: Session, workplace: Workplace, desk: _Desk, order: Order, wish: MailWish
) -> dict[str, Any] | None:
    """Returns the mail that a wish leads to, or None when there is to be none."""
    if wish.text_id:
        text = next((one for one in desk.texts if one.id == wish.text_id), None)
    else:
        text = _text_for(workplace, desk, order, MailEvent(wish.event))
    to = address_of_order(session, order)
    if text is None or not is_mail_address(to):
        return None
    return _row(session, workplace, order, _Letter(desk.sender, text, to), wish)


def _text_for(workplace: Workplace, desk: _Desk, order: Order, event: MailEvent) -> MailText | None:
    """Returns the text that is sent by itself of an event of an order, if there is one and the
    channel's policy has its customers mailed of that."""
    if order.channel_id is not None and event not in desk.mailed.get(order.channel_id, ()):
        return None
    channel = desk.channels.get(order.channel_id or 0, NO_CHANNEL)
    languages = languages_of(order.country, workplace.firm.locale)
    automatic = [text for text in desk.texts if text.automatic]
    return choose_text(automatic, event, channel, languages)


def _row(
    session: Session, workplace: Workplace, order: Order, letter: _Letter, wish: MailWish
) -> dict[str, Any]:
    text = letter.text
    shipped = int(wish.paper or 0) if wish.event in OF_SHIPMENTS else 0
    link = "order.link" in text.text or "order.link" in text.subject
    places = places_of_orders(
        session, workplace, [order], text.language, link=link, shipment=shipped
    )[order.id]
    papers = []
    if wish.paper and not shipped:
        papers = [["invoice", wish.paper]]
        places["invoice"] = places_of_invoice(session, workplace, wish.paper, text.language)
    return {
        "key": wish.key,
        "event": str(wish.event),
        "order_id": order.id,
        "papers": papers,
        **_written(workplace, letter, places),
    }


def _written(workplace: Workplace, letter: _Letter, places: dict[str, Any]) -> dict[str, Any]:
    mail, now = write_mail(letter.text, places), workplace.now()
    return {
        "text_id": letter.text.id,
        "recipient": letter.to,
        "subject": mail.subject,
        "body": mail.text,
        "message_id": new_message_id(letter.sender),
        "state": str(MailState.WAITING),
        "next_at": now,
        "made_at": now,
    }


def _keep(session: Session, workplace: Workplace, rows: Sequence[dict[str, Any]]) -> None:
    if rows:
        add_mails(session, rows)
        after_commit(session, lambda: workplace.wake(Work.MAIL, 0))


def mail_orders(
    workplace: Workplace, actor: Actor, numbers: Sequence[str], text_id: int
) -> list[Verdict]:
    """Writes a mail to the customer of each order; returns a verdict for each. The same text is not
    written for an order twice within five minutes."""
    actor.must(Right.ORDERS)
    sender = _sender(workplace)
    with workplace.database.reading() as session:
        text = text_of_row(mail_text_row(session, text_id))
    if text.event == MailEvent.ESTIMATE:
        message = "This text is for estimates."
        raise refuse("not-allowed", message, "Choose one for orders.", "text")

    def deed(session: Session, number: str) -> str | None:
        order = order_by_number(session, number)
        since = workplace.now() - NOT_TWICE_WITHIN
        if mailed_lately(session, [order.id], text_id, since):
            return None
        to = address_of_order(session, order)
        if not is_mail_address(to):
            raise no_address(order.number)
        key = f"hand:{order.id}:{text_id}:{workplace.new_key()}"
        wish = MailWish(order.id, text.event, key)
        row = _row(session, workplace, order, _Letter(sender, text, to), wish)
        _keep(session, workplace, [{**row, "person_id": actor.person_id}])
        return to

    return for_each(workplace, numbers, deed)


def no_address(number: str) -> Exception:
    """Returns the refusal of a mail about something whose customer has no mail address."""
    message = f"“{number}” has no mail address."
    return refuse("no-address", message, "Add it to the customer.", "mail")


def _sender(workplace: Workplace) -> str:
    with workplace.database.reading() as session:
        server = mail_server_of(session)
    if server is None or not server.host:
        raise no_mail_server()
    return server.sender


def mail_estimate(workplace: Workplace, actor: Actor, number: str) -> str:
    """Mails an estimate with its paper to the customer; returns the address. The same one is not
    written twice within five minutes.

    Raises:
        Refused: if there is no text for estimates, or no address.
    """
    actor.must(Right.ORDERS)
    sender = _sender(workplace)
    with workplace.database.writing() as session:
        estimate = estimate_by_number(session, number)
        if estimate.state != "open":
            message = f"“{number}” is {estimate.state}."
            raise refuse("wrong-state", message, "Make a new estimate.")
        customer = customer_by_id(session, estimate.customer_id)
        if not is_mail_address(customer.mail):
            raise no_address(number)
        country = Address.read(estimate.draft.get("ship_to", {})).country
        languages = languages_of(country, workplace.firm.locale)
        text = choose_text(mail_texts(session), MailEvent.ESTIMATE, NO_CHANNEL, languages)
        if text is None:
            message = "There is no text for estimates yet."
            raise refuse("no-text", message, "Write one under Setup, Mail.", "text")
        now = workplace.now()
        slot = int(now.timestamp() // NOT_TWICE_WITHIN.total_seconds())
        places = places_of_estimate(session, workplace, estimate, text.language)
        row = {
            "key": f"estimate:{estimate.id}:{slot}",
            "event": str(MailEvent.ESTIMATE),
            "estimate_id": estimate.id,
            "papers": [["estimate", estimate.number]],
            "person_id": actor.person_id,
            **_written(workplace, _Letter(sender, text, customer.mail), places),
        }
        _keep(session, workplace, [row])
        subject = audit.Subject("estimate", estimate.id)
        audit.record(session, actor, now, subject, f"mailed to {customer.mail}")
        return customer.mail


@dataclass(frozen=True)
class TeamMail:
    """A mail to somebody in the team: its event, and the key of what it tells, which is told once."""

    to: str
    event: str
    key: str
    subject: str
    body: str


def write_to_team(session: Session, workplace: Workplace, mail: TeamMail) -> None:
    """Writes a mail to somebody in the team inside a transaction."""
    now, server = workplace.now(), mail_server_of(session)
    row = {
        "key": mail.key,
        "event": mail.event,
        "papers": [],
        "recipient": mail.to,
        "subject": mail.subject,
        "body": mail.body,
        "message_id": new_message_id(server.sender if server else ""),
        "state": str(MailState.WAITING),
        "next_at": now,
        "made_at": now,
    }
    _keep(session, workplace, [row])
