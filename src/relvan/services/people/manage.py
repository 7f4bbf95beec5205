"""People who work here: their roles, their passwords, and the end of somebody's access."""

from dataclasses import dataclass

from relvan.core.people.roles import Right, Role, check_password
from relvan.core.refusal import not_found, refuse
from relvan.services import audit
from relvan.services.people.sign_in import passwords
from relvan.services.people.two_step import take_second_step_away
from relvan.services.workplace import Actor, Workplace
from relvan.store.people import end_access, end_visits_of, other_owners, person_by_any_login
from relvan.store.session import Session
from relvan.store.tables import Person


@dataclass(frozen=True)
class PersonChange:
    """What is to change of a person; None leaves it. `active` false ends the person's access at
    once: every sign-in and every API token. `second_step_gone` takes the second step of signing in
    away, for somebody who has lost the phone.
    """

    role: Role | None = None
    active: bool | None = None
    password: str | None = None
    second_step_gone: bool = False


def change_person(workplace: Workplace, actor: Actor, login: str, change: PersonChange) -> None:
    """Changes a person. There is always an owner who can sign in; a new password ends every
    sign-in of that person.
    """
    actor.must(Right.SETUP)
    password_hash = ""
    if change.password is not None:
        check_password(change.password)
        password_hash = passwords.hash(change.password)
    with workplace.database.writing() as session:
        person = person_by_any_login(session, login)
        if person is None:
            raise not_found("person", login[:40])
        _refuse_no_owner(session, person, change)
        before = _known_of(person)
        if change.role is not None:
            person.role = change.role
        if change.active is not None:
            person.active = change.active
        if not person.active:
            end_access(session, person.id)
        changes = {name: (before[name], value) for name, value in _known_of(person).items()}
        changes = {name: pair for name, pair in changes.items() if pair[0] != pair[1]}
        if password_hash:
            person.password_hash = password_hash
            end_visits_of(session, person.id)
            changes["password"] = ("", "changed")
        if change.second_step_gone:
            take_second_step_away(session, workplace, actor, person.id)
        if changes:
            subject = audit.Subject("person", person.id)
            audit.record(session, actor, workplace.now(), subject, "changed", changes)


def _known_of(person: Person) -> dict[str, str]:
    return {"role": person.role, "access": "yes" if person.active else "ended"}


def _refuse_no_owner(session: Session, person: Person, change: PersonChange) -> None:
    stays = change.active is not False and change.role in (None, Role.OWNER)
    if person.role == Role.OWNER and not stays and not other_owners(session, person.id):
        raise refuse(
            "last-owner",
            f"{person.name} is the only owner.",
            "Make somebody else an owner first.",
            "role",
        )
