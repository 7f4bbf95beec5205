"""Signing in and out: Argon2 hashes, visits kept on the server, and a limit on wrong guesses."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from relvan.core.catalogue.checks import check_text
from relvan.core.people.roles import Right, Role, check_password
from relvan.core.refusal import refuse, refuse_if_any
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.people import (
    count_guesses,
    end_visits,
    forget_guess,
    forget_guesses,
    is_login_taken,
    person_by_login,
    visit_of,
)
from relvan.store.session import Session
from relvan.store.tables import Person, SignInAttempt, Visit

VISIT_LASTS = timedelta(days=14)
GUESS_WINDOW = timedelta(minutes=15)
GUESSES_BY_LOGIN = 5
GUESSES_BY_ADDRESS = 30
MOST_PERSON_NAME = 80
MOST_AGENT = 300
passwords = PasswordHasher()


@dataclass(frozen=True)
class SignedIn:
    """Somebody who has signed in: the text of the cookie (only when it is new), the token that
    forms must carry, and whether the sign-in has two steps."""

    actor: Actor
    login: str
    csrf: str
    cookie: str = ""
    two_step: bool = False


def token_hash(token: str) -> str:
    """Returns what is kept of a token or cookie. It is long and random, so a plain hash is enough."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(
    workplace: Workplace, login: str, password: str, address: str, agent: str = ""
) -> SignedIn:
    """Checks a password and opens a visit. After 5 wrong guesses one must wait a quarter of an
    hour. `agent` is what the browser tells of itself. Refused for somebody who signs in by two
    steps."""
    person = person_with(workplace, login, password, address)
    if person.totp:
        raise refuse("code", "A code is needed besides.", "Type the one on your phone.", "code")
    return open_visit(workplace, person, person.login, address, agent)


def person_with(workplace: Workplace, login: str, password: str, address: str) -> Person:
    """Returns the person to whom a name and a password belong. Refused when they do not go together,
    and after 5 wrong guesses for a quarter of an hour.
    """
    login = login.strip().casefold()[:100]
    guess = take_guess(workplace, login, address)
    with workplace.database.reading() as session:
        person = person_by_login(session, login)
    kept = person.password_hash if person else _hash_of_nobody()
    if not _password_fits(kept, password) or person is None:
        raise refuse(
            "sign-in",
            "That name and password do not go together.",
            "Check both and try again.",
            "password",
        )
    give_guess_back(workplace, guess)
    return person


def open_visit(
    workplace: Workplace, person: Person, login: str, address: str = "", agent: str = ""
) -> SignedIn:
    """Opens a visit for somebody whose identity is known."""
    cookie, csrf, now = secrets.token_urlsafe(32), secrets.token_urlsafe(32), workplace.now()
    with workplace.database.writing() as session:
        end_visits(session, before=now)
        forget_guesses(session, login)
        session.add(
            Visit(
                token_hash=token_hash(cookie),
                person_id=person.id,
                csrf=csrf,
                created_at=now,
                expires_at=now + VISIT_LASTS,
                address=address,
                agent=agent[:MOST_AGENT],
            )
        )
    return SignedIn(actor_for(person, "hand"), person.login, csrf, cookie, bool(person.totp))


def find_visit(workplace: Workplace, cookie: str) -> SignedIn | None:
    """Returns whose cookie this is; None when the visit has ended."""
    with workplace.database.reading() as session:
        found = visit_of(session, token_hash(cookie), workplace.now())
    if found is None:
        return None
    csrf, person = found
    return SignedIn(actor_for(person, "hand"), person.login, csrf, two_step=bool(person.totp))


def sign_out(workplace: Workplace, cookie: str) -> None:
    """Ends a visit."""
    with workplace.database.writing() as session:
        end_visits(session, token_hash=token_hash(cookie))


@dataclass(frozen=True)
class NewPerson:
    """Somebody who is to work here."""

    login: str
    name: str
    role: Role
    password: str

    def checked(self) -> "NewPerson":
        """Returns the person with a tidy login and name; refused when one of them is none."""
        check_password(self.password)
        login, name = self.login.strip().casefold(), self.name.strip()
        if not login.isidentifier() or len(login) > 40:
            raise refuse(
                "form",
                f"“Sign-in name” must be letters and digits; it got “{login[:40]}”.",
                "Shorten it.",
                "login",
            )
        refuse_if_any(check_text("name", "Name", name, MOST_PERSON_NAME, needed=True))
        return NewPerson(login, name, self.role, self.password)


def add_person(
    workplace: Workplace, actor: Actor, login: str, name: str, role: Role, password: str
) -> int:
    """Adds somebody who works here."""
    actor.must(Right.SETUP)
    wish = NewPerson(login, name, role, password).checked()
    password_hash = passwords.hash(wish.password)
    with workplace.database.writing() as session:
        return add_person_in(session, workplace, actor, wish, password_hash)


def add_person_in(
    session: Session, workplace: Workplace, actor: Actor, wish: NewPerson, password_hash: str
) -> int:
    """Adds somebody inside a transaction. The hash is made before it, since that takes a while."""
    if is_login_taken(session, wish.login):
        raise refuse(
            "taken", f"“{wish.login}” is somebody already.", "Choose another name.", "login"
        )
    person = Person(
        login=wish.login,
        name=wish.name,
        role=wish.role,
        password_hash=password_hash,
        created_at=workplace.now(),
    )
    session.add(person)
    session.flush()
    audit.record(session, actor, workplace.now(), audit.Subject("person", person.id), "added")
    return person.id


def actor_for(person: Person, via: str) -> Actor:
    """Returns a person as the audit trail names them."""
    return Actor(person.id, person.name, Role(person.role), via)


@cache
def _hash_of_nobody() -> str:
    """Returns a hash that no password fits, so that a name that is nobody's takes as long as one
    that is somebody's."""
    return passwords.hash(secrets.token_urlsafe(12))


def _password_fits(kept: str, password: str) -> bool:
    try:
        return passwords.verify(kept, password[:200])
    except (VerificationError, InvalidHashError):
        return False


def take_guess(workplace: Workplace, login: str, address: str) -> int:
    """Counts a guess before it is looked at, so that of many that are sent at once only the first
    ones are looked at; returns its number. Refused after too many in a quarter of an hour."""
    now = workplace.now()
    with workplace.database.writing() as session:
        by_login, by_address = count_guesses(session, login, address, now - GUESS_WINDOW)
        if by_login >= GUESSES_BY_LOGIN or by_address >= GUESSES_BY_ADDRESS:
            raise refuse(
                "too-many-guesses",
                "Too many wrong guesses.",
                "Wait a quarter of an hour.",
                "password",
            )
        guess = SignInAttempt(login=login, address=address, at=now)
        session.add(guess)
        session.flush()
        return guess.id


def give_guess_back(workplace: Workplace, guess: int) -> None:
    """Forgets a guess that was right."""
    with workplace.database.writing() as session:
        forget_guess(session, guess)
