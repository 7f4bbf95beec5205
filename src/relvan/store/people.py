"""Queries over people, their sign-ins and tokens, and failed sign-ins."""

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import case, delete, func, or_, select, update
from sqlalchemy.orm import Session

from relvan.core.people.roles import Role
from relvan.store.tables import ApiToken, Person, RepeatedCall, SignInAttempt, Visit


def active_people(session: Session) -> Sequence[Person]:
    """Returns everybody who works here."""
    return session.scalars(select(Person).where(Person.active.is_(True)).order_by(Person.id)).all()


def person_by_login(session: Session, login: str) -> Person | None:
    """Returns somebody who works here by login, or None."""
    return session.scalar(select(Person).where(Person.login == login, Person.active.is_(True)))


def person_by_id(session: Session, person_id: int) -> Person:
    """Returns the person with an id. The person must exist."""
    return session.get_one(Person, person_id)


def is_login_taken(session: Session, login: str) -> bool:
    """Says whether somebody has a login, also somebody who no longer works here."""
    return session.scalar(select(Person.id).where(Person.login == login)) is not None


def end_visits(session: Session, *, before: datetime | None = None, token_hash: str = "") -> None:
    """Deletes the sign-ins that were over at a moment, or the one of a cookie."""
    if before is not None:
        session.execute(delete(Visit).where(Visit.expires_at < before))
    if token_hash:
        session.execute(delete(Visit).where(Visit.token_hash == token_hash))


def forget_guesses(session: Session, login: str) -> None:
    """Deletes the failed sign-ins of a login."""
    session.execute(delete(SignInAttempt).where(SignInAttempt.login == login))


def forget_guess(session: Session, guess: int) -> None:
    """Deletes one failed sign-in."""
    session.execute(delete(SignInAttempt).where(SignInAttempt.id == guess))


def visit_of(session: Session, token_hash: str, now: datetime) -> tuple[str, Person] | None:
    """Returns (token for forms, person) of a sign-in that has not ended, by the hash of its cookie."""
    found = session.execute(
        select(Visit.csrf, Person)
        .join(Person, Person.id == Visit.person_id)
        .where(Visit.token_hash == token_hash, Visit.expires_at > now, Person.active.is_(True))
    ).first()
    return None if found is None else (found[0], found[1])


class TokenRow(NamedTuple):
    """An API token with the person whose rights it has."""

    id: int
    name: str
    person: Person
    rights: list[str]
    last_day: str | None
    used_at: datetime | None
    created_at: datetime


TOKENS = select(
    ApiToken.id,
    ApiToken.name,
    Person,
    ApiToken.rights,
    ApiToken.last_day,
    ApiToken.used_at,
    ApiToken.created_at,
).join(Person, Person.id == ApiToken.person_id)


def token_of(session: Session, token_hash: str) -> TokenRow | None:
    """Returns an API token of somebody who works here, by its hash."""
    here = TOKENS.where(ApiToken.token_hash == token_hash, Person.active.is_(True))
    found = session.execute(here).first()
    return None if found is None else TokenRow(*found)


def token_rows(session: Session) -> list[TokenRow]:
    """Returns every API token, the newest first."""
    return [TokenRow(*row) for row in session.execute(TOKENS.order_by(ApiToken.id.desc()))]


def token_by_id(session: Session, token_id: int) -> ApiToken | None:
    """Returns an API token by its id."""
    return session.get(ApiToken, token_id)


def note_token_used(session: Session, token_id: int, now: datetime) -> None:
    """Notes that a token was used."""
    session.execute(update(ApiToken).where(ApiToken.id == token_id).values(used_at=now))


def forget_token_by_id(session: Session, token_id: int) -> None:
    """Deletes an API token, and the answers that were kept for its repeated calls."""
    session.execute(delete(RepeatedCall).where(RepeatedCall.token_id == token_id))
    session.execute(delete(ApiToken).where(ApiToken.id == token_id))


def forget_token(session: Session, token_hash: str) -> None:
    """Deletes an API token."""
    session.execute(delete(ApiToken).where(ApiToken.token_hash == token_hash))


def count_guesses(session: Session, login: str, address: str, since: datetime) -> tuple[int, int]:
    """Returns how many failed sign-ins there were since a moment, as (for a login, from an
    address).
    """
    same_login, same_address = SignInAttempt.login == login, SignInAttempt.address == address
    statement = select(
        func.sum(case((same_login, 1), else_=0)), func.sum(case((same_address, 1), else_=0))
    )
    counted = session.execute(
        statement.where(SignInAttempt.at > since, or_(same_login, same_address))
    ).one()
    return counted[0] or 0, counted[1] or 0


def everybody(session: Session) -> Sequence[Person]:
    """Returns all people, also those whose access has ended, these last."""
    return session.scalars(select(Person).order_by(Person.active.desc(), Person.id)).all()


class OpenAccess(NamedTuple):
    """By what somebody comes in: sign-ins that are open, and API tokens."""

    visits: int
    tokens: int


def open_accesses(session: Session, now: datetime) -> dict[int, OpenAccess]:
    """Returns, by person, what the end of the access would end."""
    visits = session.execute(
        select(Visit.person_id, func.count())
        .where(Visit.expires_at > now)
        .group_by(Visit.person_id)
    ).all()
    tokens = session.execute(
        select(ApiToken.person_id, func.count()).group_by(ApiToken.person_id)
    ).all()
    by_visit = dict(visits)
    by_token = dict(tokens)
    return {
        person: OpenAccess(by_visit.get(person, 0), by_token.get(person, 0))
        for person in by_visit.keys() | by_token.keys()
    }


def person_by_any_login(session: Session, login: str) -> Person | None:
    """Returns somebody by login, also when the access has ended."""
    return session.scalar(select(Person).where(Person.login == login))


def other_owners(session: Session, person_id: int) -> int:
    """Returns how many owners there are besides a person."""
    owners = select(func.count(Person.id)).where(
        Person.role == Role.OWNER, Person.active.is_(True), Person.id != person_id
    )
    return session.scalar(owners) or 0


def end_visits_of(session: Session, person_id: int) -> None:
    """Ends every sign-in of a person."""
    session.execute(delete(Visit).where(Visit.person_id == person_id))


def visits_of(session: Session, person_id: int, now: datetime) -> Sequence[Visit]:
    """Returns the sign-ins of a person that have not ended, the newest first."""
    still = select(Visit).where(Visit.person_id == person_id, Visit.expires_at > now)
    return session.scalars(still.order_by(Visit.created_at.desc())).all()


def end_access(session: Session, person_id: int) -> None:
    """Ends every sign-in and every API token of a person."""
    end_visits_of(session, person_id)
    ids = select(ApiToken.id).where(ApiToken.person_id == person_id)
    session.execute(delete(RepeatedCall).where(RepeatedCall.token_id.in_(ids)))
    session.execute(delete(ApiToken).where(ApiToken.person_id == person_id))


def invited_by(session: Session, invitation: str) -> Person | None:
    """Returns the person to whom an invitation belongs, by the hash of its link."""
    if not invitation:
        return None
    return session.scalar(select(Person).where(Person.invitation == invitation))
