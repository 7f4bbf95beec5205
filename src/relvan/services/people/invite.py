"""Invitations: somebody is added without a password, and chooses one by a link that is good once."""

import secrets
from datetime import timedelta

from relvan.core.people.roles import Right, Role, check_password
from relvan.core.refusal import NotFound, Refusal, not_found, refuse
from relvan.services import audit
from relvan.services.people.sign_in import (
    NewPerson,
    add_person_in,
    give_guess_back,
    passwords,
    take_guess,
    token_hash,
)
from relvan.services.workplace import Actor, Workplace
from relvan.store.people import end_visits_of, invited_by, person_by_any_login
from relvan.store.session import Session
from relvan.store.tables import Person

LASTS = timedelta(days=7)
GUESS_NAME = "an invitation"


def invite_person(workplace: Workplace, actor: Actor, login: str, name: str, role: Role) -> str:
    """Adds somebody who works here, and returns the path of the link by which that person chooses a
    password within seven days."""
    actor.must(Right.SETUP)
    nobody_knows = secrets.token_urlsafe(32)
    wish = NewPerson(login, name, role, nobody_knows).checked()
    password_hash = passwords.hash(nobody_knows)
    with workplace.database.writing() as session:
        person_id = add_person_in(session, workplace, actor, wish, password_hash)
        return _new_link(workplace, session.get_one(Person, person_id))


def invite_again(workplace: Workplace, actor: Actor, login: str) -> str:
    """Returns a new link for somebody; the one before it ends, and so does the password once the
    link is used."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        person = person_by_any_login(session, login)
        if person is None:
            raise not_found("person", login[:40])
        if not person.active:
            message = f"The access of {person.name} has ended."
            raise refuse("ended", message, "Give it back first.", "login")
        subject = audit.Subject("person", person.id)
        audit.record(session, actor, workplace.now(), subject, "invited")
        return _new_link(workplace, person)


def _new_link(workplace: Workplace, person: Person) -> str:
    token = secrets.token_urlsafe(24)
    person.invitation, person.invited_until = token_hash(token), workplace.now() + LASTS
    return f"/invitations/{token}"


def who_is_invited(workplace: Workplace, token: str, address: str) -> Person:
    """Returns the person to whom a link belongs. Guessing is slowed as at the sign-in, by address:
    a stranger's wrong links do not keep those who are invited out."""
    guess = take_guess(workplace, f"{GUESS_NAME} {address}", address)
    with workplace.database.reading() as session:
        person = _invited(session, workplace, token)
    if person is None:
        raise _no_link()
    give_guess_back(workplace, guess)
    return person


def take_invitation(workplace: Workplace, token: str, password: str, address: str) -> str:
    """Sets the password that an invited person has chosen, and ends the link and every sign-in of
    that person; returns the name to sign in with. Of two who use a link at once, one gets the
    account."""
    check_password(password)
    who_is_invited(workplace, token, address)
    password_hash = passwords.hash(password)
    with workplace.database.writing() as session:
        person = _invited(session, workplace, token)
        if person is None:
            raise _no_link()
        person.password_hash, person.invitation, person.invited_until = password_hash, "", None
        end_visits_of(session, person.id)
        subject = audit.Subject("person", person.id)
        changes = {"password": ("", "chosen by invitation")}
        actor = Actor(person.id, person.name, Role(person.role), "hand")
        audit.record(session, actor, workplace.now(), subject, "changed", changes)
        return person.login


def _invited(session: Session, workplace: Workplace, token: str) -> Person | None:
    person = invited_by(session, token_hash(token))
    good = person is not None and person.active and person.invited_until is not None
    return person if good and person.invited_until > workplace.now() else None  # type: ignore[union-attr, operator]


def _no_link() -> NotFound:
    message = "This invitation was used, has ended, or never was."
    return NotFound(Refusal("not-found", message, "Ask an owner for another one."))
