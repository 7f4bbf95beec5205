"""Queries over people."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.store.tables import Person


def active_people(session: Session) -> Sequence[Person]:
    """Everybody who works here."""
    return session.scalars(select(Person).where(Person.active.is_(True)).order_by(Person.id)).all()


def person_by_login(session: Session, login: str) -> Person | None:
    """Somebody by login."""
    return session.scalar(select(Person).where(Person.login == login, Person.active.is_(True)))
