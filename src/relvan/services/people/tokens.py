"""API tokens: made and shown once, each with what it may do and its last day, and ended at once."""

import secrets
from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import date, timedelta

from relvan.core.catalogue.checks import check_text
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.people.sign_in import actor_for, token_hash
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.people import (
    TokenRow,
    forget_token,
    forget_token_by_id,
    note_token_used,
    person_by_login,
    token_by_id,
    token_of,
)
from relvan.store.tables import ApiToken

MOST_TOKEN_NAME = 80
NOTED_EVERY = timedelta(hours=1)  # a call would otherwise cost a write


@dataclass(frozen=True)
class NewToken:
    """A token to be made for a person; without rights it may do what the person may."""

    name: str
    login: str
    rights: Collection[Right] = ()
    last_day: date | None = None


def add_token(workplace: Workplace, actor: Actor, wish: NewToken, token: str = "") -> str:
    """Makes a token, or keeps the one given, and returns it: it is shown this one time."""
    actor.must(Right.SETUP)
    refuse_if_any(check_text("name", "Name", wish.name, MOST_TOKEN_NAME, needed=True))
    today = workplace.local_now().date()
    if wish.last_day is not None and wish.last_day < today:
        raise refuse(
            "past", "“Last day” must not be over already.", "Choose a later one.", "last_day"
        )
    token = token or secrets.token_urlsafe(32)
    with workplace.database.writing() as session:
        person = person_by_login(session, wish.login.casefold())
        if person is None:
            raise refuse(
                "not-found",
                f"There is no person “{wish.login[:40]}”.",
                "`relvan people` lists them.",
                "login",
            )
        forget_token(session, token_hash(token))
        row = ApiToken(
            name=wish.name.strip(),
            token_hash=token_hash(token),
            person_id=person.id,
            created_at=workplace.now(),
            rights=sorted(wish.rights),
            last_day=wish.last_day.isoformat() if wish.last_day else None,
        )
        session.add(row)
        session.flush()
        audit.record(session, actor, workplace.now(), audit.Subject("token", row.id), "made")
    return token


def make_token(workplace: Workplace, name: str, login: str, token: str = "") -> str:
    """Makes a token that may do what its person may, for the command line and the demo."""
    return add_token(workplace, SYSTEM, NewToken(name, login), token)


def end_token(workplace: Workplace, actor: Actor, token_id: int) -> str:
    """Ends a token at once; returns its name."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = token_by_id(session, token_id)
        if row is None:
            raise not_found("token", token_id)
        forget_token_by_id(session, token_id)
        subject = audit.Subject("token", token_id)
        audit.record(session, actor, workplace.now(), subject, "ended", {"name": (row.name, "")})
        return row.name


def find_token(workplace: Workplace, token: str) -> tuple[int, Actor] | None:
    """Returns the id of a bearer token and whose it is; None when there is none, or its last day is
    over.
    """
    with workplace.database.reading() as session:
        found = token_of(session, token_hash(token))
    if found is None or _is_over(workplace, found):
        return None
    if found.used_at is None or workplace.now() - found.used_at > NOTED_EVERY:
        with workplace.database.writing() as session:
            note_token_used(session, found.id, workplace.now())
    actor = actor_for(found.person, "api")
    only = frozenset(Right(name) for name in found.rights) or None
    return found.id, replace(actor, only=only)


def note_refusal(workplace: Workplace, actor: Actor, token_id: int, call: str, why: str) -> None:
    """Writes into the audit trail that a token was refused what it may not do."""
    with workplace.database.writing() as session:
        subject = audit.Subject("token", token_id)
        changes = {"call": ("", call[:200]), "refused": ("", why[:200])}
        audit.record(session, actor, workplace.now(), subject, "refused", changes)


def _is_over(workplace: Workplace, found: TokenRow) -> bool:
    return found.last_day is not None and found.last_day < workplace.local_now().date().isoformat()
