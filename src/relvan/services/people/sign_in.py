"""Signing in and out: Argon2 hashes, visits kept on the server, and a limit on wrong guesses."""

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import case, delete, func, or_, select
from sqlalchemy.orm import Session

from relvan.core.people.roles import Role, check_password
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.workplace import Actor, Workplace
from relvan.store.tables import ApiToken, Person, SignInAttempt, Visit

VISIT_LASTS = timedelta(days=14)
GUESS_WINDOW = timedelta(minutes=15)
GUESSES_BY_LOGIN = 5
GUESSES_BY_ADDRESS = 30
hasher = PasswordHasher()
_nobody = hasher.hash(secrets.token_urlsafe(12))


@dataclass(frozen=True)
class SignedIn:
    """Somebody who has signed in: the cookie's text (only when new), and the token that forms must carry."""

    actor: Actor
    login: str
    csrf: str
    cookie: str = ""


def token_hash(token: str) -> str:
    """What is kept of a token or cookie: it is long and random, so a plain hash is enough."""
    return hashlib.sha256(token.encode()).hexdigest()


def sign_in(workplace: Workplace, login: str, password: str, address: str) -> SignedIn:
    """Check a password and open a visit. After 5 wrong guesses one waits a quarter of an hour."""
    login = login.strip().casefold()[:100]
    _refuse_too_many_guesses(workplace, login, address)
    with workplace.database.reading() as session:
        person = session.scalar(select(Person).where(Person.login == login, Person.active.is_(True)))
    if not _password_fits(person.password_hash if person else _nobody, password) or person is None:
        with workplace.database.writing() as session:
            session.add(SignInAttempt(login=login, address=address, at=workplace.now()))
        raise refuse("sign-in", "That name and password do not go together.", "Check both and try again.", "password")
    return open_visit(workplace, person, login)


def open_visit(workplace: Workplace, person: Person, login: str) -> SignedIn:
    """A new visit for somebody who has shown who they are."""
    cookie, csrf, now = secrets.token_urlsafe(32), secrets.token_urlsafe(32), workplace.now()
    with workplace.database.writing() as session:
        session.execute(delete(Visit).where(Visit.expires_at < now))
        session.execute(delete(SignInAttempt).where(SignInAttempt.login == login))
        session.add(
            Visit(
                token_hash=token_hash(cookie),
                person_id=person.id,
                csrf=csrf,
                created_at=now,
                expires_at=now + VISIT_LASTS,
            )
        )
    return SignedIn(_actor(person, "hand"), person.login, csrf, cookie)


def find_visit(workplace: Workplace, cookie: str) -> SignedIn | None:
    """Who a cookie belongs to; none when the visit has ended."""
    with workplace.database.reading() as session:
        found = session.execute(
            select(Visit.csrf, Person.id, Person.name, Person.role, Person.login)
            .join(Person, Person.id == Visit.person_id)
            .where(Visit.token_hash == token_hash(cookie), Visit.expires_at > workplace.now(), Person.active.is_(True))
        ).first()
    if found is None:
        return None
    return SignedIn(Actor(found.id, found.name, Role(found.role), "hand"), found.login, found.csrf)


def sign_out(workplace: Workplace, cookie: str) -> None:
    """End a visit."""
    with workplace.database.writing() as session:
        session.execute(delete(Visit).where(Visit.token_hash == token_hash(cookie)))


def find_token(workplace: Workplace, token: str) -> tuple[int, Actor] | None:
    """The id of a bearer token and whose it is."""
    with workplace.database.reading() as session:
        found = session.execute(
            select(ApiToken.id, Person)
            .join(Person, Person.id == ApiToken.person_id)
            .where(ApiToken.token_hash == token_hash(token), Person.active.is_(True))
        ).first()
        return (found.id, _actor(found.Person, "api")) if found else None


def make_token(workplace: Workplace, name: str, login: str, token: str = "") -> str:
    """Make a bearer token for a person, or keep the one given; it is shown once."""
    token = token or secrets.token_urlsafe(32)
    with workplace.database.writing() as session:
        person = session.scalar(select(Person).where(Person.login == login.casefold()))
        if person is None:
            raise refuse("not-found", f"There is no person “{login}”.", "`relvan people` lists them.", "login")
        session.execute(delete(ApiToken).where(ApiToken.token_hash == token_hash(token)))
        session.add(ApiToken(name=name, token_hash=token_hash(token), person_id=person.id, created_at=workplace.now()))
    return token


def add_person(workplace: Workplace, actor: Actor, login: str, name: str, role: Role, password: str) -> int:
    """Add somebody who works here."""
    check_password(password)
    login = login.strip().casefold()
    if not login.isidentifier() or len(login) > 40:
        raise refuse("form", f"“Login” must be letters and digits; it got “{login[:40]}”.", "Shorten it.", "login")
    with workplace.database.writing() as session:
        if session.scalar(select(Person.id).where(Person.login == login)):
            raise refuse("taken", f"“{login}” is somebody already.", "Choose another login.", "login")
        person = Person(
            login=login, name=name, role=role, password_hash=hasher.hash(password), created_at=workplace.now()
        )
        session.add(person)
        session.flush()
        audit.record(session, actor, workplace.now(), "person", person.id, "added")
        return person.id


def _actor(person: Person, via: str) -> Actor:
    return Actor(person.id, person.name, Role(person.role), via)


def _password_fits(kept: str, password: str) -> bool:
    try:
        return hasher.verify(kept, password[:200])
    except (VerificationError, InvalidHashError):
        return False


def _refuse_too_many_guesses(workplace: Workplace, login: str, address: str) -> None:
    with workplace.database.reading() as session:
        by_login, by_address = _guesses(session, workplace, login, address)
    if by_login >= GUESSES_BY_LOGIN or by_address >= GUESSES_BY_ADDRESS:
        raise refuse("too-many-guesses", "Too many wrong guesses.", "Wait a quarter of an hour.", "password")


def _guesses(session: Session, workplace: Workplace, login: str, address: str) -> tuple[int, int]:
    same_login, same_address = SignInAttempt.login == login, SignInAttempt.address == address
    counted = session.execute(
        select(func.sum(case((same_login, 1), else_=0)), func.sum(case((same_address, 1), else_=0))).where(
            SignInAttempt.at > workplace.now() - GUESS_WINDOW, or_(same_login, same_address)
        )
    ).one()
    return counted[0] or 0, counted[1] or 0
