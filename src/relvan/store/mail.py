"""Queries over the mail server."""

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.setup.mail import MailServer
from relvan.store.built import bare_rows
from relvan.store.kept import kept
from relvan.store.tables import MailServerRow

THE_SERVER = 1
SERVER_HOST = select(MailServerRow.host).where(MailServerRow.id == THE_SERVER)


def mail_server_of(session: Session) -> MailServerRow | None:
    """Returns the mail server, or None while none is saved."""
    return session.get(MailServerRow, THE_SERVER)


@kept
def has_mail_server(session: Session) -> bool:
    """Says whether it is saved where mails are to be sent from."""
    return bool(bare_rows(session, SERVER_HOST).scalar())


def keep_mail_server(session: Session, server: MailServer, password: str | None) -> None:
    """Saves the mail server; with None its password stays. How sending went last time is deleted,
    since it was said of the server as it was.
    """
    row = session.get(MailServerRow, THE_SERVER)
    if row is None:
        row = MailServerRow(id=THE_SERVER)
        session.add(row)
    for name, value in vars(server).items():
        setattr(row, name, value)
    if password is not None:
        row.password = password
    row.tried_at, row.answer, row.works = None, "", False


def note_mail(session: Session, at: datetime, answer: str, *, works: bool) -> None:
    """Notes how sending went."""
    row = session.get_one(MailServerRow, THE_SERVER)
    row.tried_at, row.answer, row.works = at, answer, works
