"""Sends mails: each is taken in one transaction, sent outside any, and settled in another. Nothing is
sent twice: where a mail may have arrived, a person decides.
"""

from collections.abc import Callable
from datetime import datetime

from relvan.core.mail.life import LEASE, MailState, Outcome, after_try
from relvan.core.orders.rules import RuleEvent
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.core.waking import Work
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.mail.papers import files_of
from relvan.services.setup.mail import Mail, OpenServer, open_mail_server, send_by
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.mail import note_mail
from relvan.store.mailing import due_mails, earlier_ids, lost_mails, mail_by_id, next_mail_at
from relvan.store.notices import add_notice
from relvan.store.session import Session
from relvan.store.tables import MailRow

UNSURE = "The mail server broke off before it answered. The mail may have arrived."


def send_mails(workplace: Workplace, *, go_on: Callable[[], bool] = lambda: True) -> float | None:
    """Sends the mails that are due, the oldest first, until one meets trouble; returns the seconds
    until the next one is due, or None when none waits."""
    opened = open_mail_server(workplace)
    if opened is None:
        return None
    _settle_lost(workplace)
    while go_on():
        taken = _take(workplace)
        if taken is None:
            break
        outcome, answer = _try(workplace, opened, taken)
        _settle(workplace, taken, outcome, answer)
        if outcome == Outcome.NOT_NOW:  # the others would meet the same trouble
            break
    with workplace.database.reading() as session:
        at = next_mail_at(session)
    return None if at is None else max(1.0, (at - workplace.now()).total_seconds())


def _take(workplace: Workplace) -> int | None:
    now = workplace.now()
    with workplace.database.writing() as session:
        for row in due_mails(session, now, 1):
            row.state, row.tries, row.next_at = MailState.SENDING, row.tries + 1, now + LEASE
            return row.id
    return None


def _try(workplace: Workplace, opened: OpenServer, mail_id: int) -> tuple[Outcome, str]:
    """Sends one mail; returns what became of it and what was answered."""
    try:
        mail = _mail(workplace, mail_id)
    except Refused as refused:
        return Outcome.NEVER, f"Its paper cannot be made: {refused.first.message}"
    try:
        return Outcome.TAKEN, send_by(workplace, opened, mail)
    except OutsideRefusal as refusal:
        return Outcome.NEVER, str(refusal)
    except OutsideTrouble as trouble:
        return (Outcome.MAYBE if trouble.unclear else Outcome.NOT_NOW), str(trouble)
    except Refused as refused:
        return Outcome.NOT_NOW, refused.first.message


def _mail(workplace: Workplace, mail_id: int) -> Mail:
    with workplace.database.reading() as session:
        row = mail_by_id(session, mail_id)
        earlier = earlier_ids(session, row)
    files = files_of(workplace, row.papers)
    return Mail(row.recipient, row.subject, row.body, files, row.message_id, earlier)


def _settle(workplace: Workplace, mail_id: int, outcome: Outcome, answer: str) -> None:
    with workplace.database.writing() as session:
        now = workplace.now()
        row = mail_by_id(session, mail_id)
        step = after_try(
            outcome, tries=row.tries, made_at=row.made_at, now=now, chance=workplace.chance()
        )
        row.state, row.answer = step.state, answer[:300]
        row.next_at = step.again_at or row.next_at
        note_mail(session, now, answer[:300], works=outcome == Outcome.TAKEN)
        if step.state == MailState.SENT:
            row.sent_at = now
        _tell_order(session, workplace, row, now)


def _tell_order(session: Session, workplace: Workplace, row: MailRow, now: datetime) -> None:
    """Lets the order know what became of its mail."""
    if row.order_id is None:
        return
    subject = audit.Subject("order", row.order_id)
    if row.state == MailState.SENT:
        audit.record(session, SYSTEM, now, subject, f"mailed: {row.subject}")
        changes_of(session).happened(row.order_id, RuleEvent.MAILED)
    elif row.state in (MailState.UNSURE, MailState.REFUSED):
        words = "may not have arrived" if row.state == MailState.UNSURE else "was refused"
        add_notice(session, row.order_id, f"The mail “{row.subject}” {words}: {row.answer}", now)


def _settle_lost(workplace: Workplace) -> None:
    """Settles mails that a worker took before it died: whether they were sent is not known."""
    now = workplace.now()
    with workplace.database.writing() as session:
        for row in lost_mails(session, now):
            row.state, row.answer = MailState.UNSURE, UNSURE
            _tell_order(session, workplace, row, now)


def send_again(workplace: Workplace, actor: Actor, mail_id: int) -> None:
    """Lets a mail that was refused, or may not have arrived, be sent once more. One that waits stays
    as it is.

    Raises:
        Refused: if it was sent.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = mail_by_id(session, mail_id)
        if row.state in (MailState.WAITING, MailState.SENDING):
            return
        if row.state == MailState.SENT:
            message = f"“{row.subject}” was sent."
            raise refuse("sent", message, "Write a new mail.")
        row.state, row.next_at, row.made_at = MailState.WAITING, workplace.now(), workplace.now()
        row.tries, row.answer = 0, ""
        after_commit(session, lambda: workplace.wake(Work.MAIL, 0))
