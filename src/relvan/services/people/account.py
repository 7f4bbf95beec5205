"""One's own account: the password, and where one is signed in."""

import re
from dataclasses import dataclass
from datetime import datetime

from relvan.core.people.roles import check_password
from relvan.core.refusal import Refusal, Refused, not_found, refuse
from relvan.services import audit
from relvan.services.people.sign_in import (
    SignedIn,
    open_visit,
    passwords,
    person_with,
    token_hash,
)
from relvan.services.workplace import Actor, Workplace
from relvan.store.people import end_visits_of, visits_of
from relvan.store.tables import Person

PHONE = re.compile(r"\bMobi|Android|iPhone")


@dataclass(frozen=True)
class OpenVisit:
    """A place where somebody is signed in; `key` names it, and is no secret."""

    key: str
    since: datetime
    address: str
    where: str
    is_this: bool


@dataclass(frozen=True)
class NewPassword:
    """What a person types to change the password."""

    present: str
    new: str
    again: str


def change_own_password(
    workplace: Workplace, signed_in: SignedIn, wish: NewPassword, address: str, agent: str = ""
) -> SignedIn:
    """Changes one's own password, ends every sign-in, and returns a new one. Refused without the
    present password, whose guesses are counted as at the sign-in.
    """
    if wish.new != wish.again:
        raise refuse("differs", "The two passwords differ.", "Type both once more.", "again")
    try:
        person = person_with(workplace, signed_in.login, wish.present, address)
    except Refused as refused:
        first = refused.first
        if first.code == "sign-in":
            first = Refusal("sign-in", "That is not your password.", "Type the one you have now.")
        raise Refused(Refusal(first.code, first.message, first.fix, "present")) from None
    try:
        check_password(wish.new)
    except Refused as refused:
        first = refused.first
        raise Refused(Refusal(first.code, first.message, first.fix, "new")) from None
    password_hash = passwords.hash(wish.new)
    with workplace.database.writing() as session:
        session.get_one(Person, person.id).password_hash = password_hash
        end_visits_of(session, person.id)
        changes = {"password": ("", "changed")}
        subject = audit.Subject("person", person.id)
        audit.record(session, signed_in.actor, workplace.now(), subject, "changed", changes)
    return open_visit(workplace, person, person.login, address, agent)


def open_visits(workplace: Workplace, actor: Actor, cookie: str) -> list[OpenVisit]:
    """Returns where one is signed in, the newest first; `cookie` is that of this browser."""
    this = token_hash(cookie)
    with workplace.database.reading() as session:
        rows = visits_of(session, actor.person_id or 0, workplace.now())
    return [
        OpenVisit(
            row.token_hash[:16],
            row.created_at,
            row.address,
            browser_of(row.agent),
            row.token_hash == this,
        )
        for row in rows
    ]


def end_visit(workplace: Workplace, actor: Actor, key: str) -> None:
    """Ends one of one's own sign-ins by its key."""
    with workplace.database.writing() as session:
        rows = visits_of(session, actor.person_id or 0, workplace.now())
        found = [row for row in rows if row.token_hash[:16] == key]
        if not found:
            raise not_found("sign-in", key[:16])
        for row in found:
            session.delete(row)


def browser_of(agent: str) -> str:
    """Says in words what kind of machine a browser tells that it is on.

    >>> browser_of("Browser/5.0 (Phone; Mobile) Engine/1")
    'a phone'
    """
    if not agent:
        return "unknown"
    return "a phone" if PHONE.search(agent) else "a computer"
