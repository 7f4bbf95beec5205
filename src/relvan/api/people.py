"""Serves the people who work here, and their tokens, over HTTP, for owners only."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Day, Flag, Named, described_text
from relvan.api.desk import By, Caller, setup_router
from relvan.api.shapes import Shape
from relvan.core.people.roles import LEAST_PASSWORD, MOST_PASSWORD, Right, Role
from relvan.core.refusal import Refused
from relvan.core.setup.mail import MOST_MAIL
from relvan.core.texts import WORDS
from relvan.services.people.invite import invite_again, invite_person
from relvan.services.people.manage import PersonChange, change_person
from relvan.services.people.sign_in import MOST_PERSON_NAME, add_person
from relvan.services.people.tokens import MOST_TOKEN_NAME, NewToken, add_token, end_token
from relvan.services.setup.mail import mail_invitation
from relvan.store.people import TokenRow, everybody, person_by_any_login, token_rows
from relvan.store.tables import Person

router = setup_router()
Password = Annotated[str, Field(min_length=LEAST_PASSWORD, max_length=MOST_PASSWORD)]


class NewPersonShape(Shape):
    """Somebody who is to work here, with a first password, or with a link to choose one, which goes
    to the address `mail` when there is one.
    """

    login: Annotated[str, Field(max_length=40, pattern="^[a-z][a-z0-9_]*$")]
    name: Annotated[str, described_text(WORDS, MOST_PERSON_NAME)]
    role: Role
    password: Password | None = None
    mail: Annotated[str, Field(max_length=MOST_MAIL)] | None = None


class PersonChangeShape(Shape):
    """What is to change of a person; `active` false ends the access at once,
    `second_step_gone` takes the second step of signing in away, `invite` makes a new link by which
    the person chooses a password.
    """

    role: Role | None = None
    active: Flag | None = None
    password: Password | None = None
    second_step_gone: Flag = False
    invite: Flag = False


def _person_shape(person: Person) -> dict[str, Any]:
    return {
        "login": person.login,
        "name": person.name,
        "role": person.role,
        "active": person.active,
        "two_step": bool(person.totp),
        "invited": bool(person.invitation),
    }


def _person(by: Caller, login: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        person = person_by_any_login(session, login)
        assert person is not None
        return _person_shape(person)


@router.get("/people")
def get_people(by: By) -> dict[str, Any]:
    """Returns everybody, also those whose access has ended."""
    with by.workplace.database.reading() as session:
        return {"items": [_person_shape(person) for person in everybody(session)]}


@router.post("/people", status_code=201)
def post_person(by: By, wish: NewPersonShape) -> dict[str, Any]:
    """Adds somebody with a first password. Without one the answer holds, this one time, a link by
    which the person chooses it within seven days; `mailed` is what the mail server answered, or
    why the link could not be mailed.
    """
    if wish.password is None:
        path = invite_person(by.workplace, by.actor, wish.login, wish.name, wish.role)
        mailed = _mailed(by, wish.mail, _link(by, path)) if wish.mail else None
        return {**_person(by, wish.login), "invitation": _link(by, path), "mailed": mailed}
    add_person(by.workplace, by.actor, wish.login, wish.name, wish.role, wish.password)
    return _person(by, wish.login)


def _mailed(by: Caller, to: str, link: str) -> str:
    """Mails a link; returns the answer, or why it was not taken: the person has been added."""
    try:
        return mail_invitation(by.workplace, by.actor, to, link)
    except Refused as refused:
        return refused.first.message


def _link(by: Caller, path: str) -> str:
    return by.workplace.settings.base_url.rstrip("/") + path


@router.patch("/people/{login}")
def patch_person(by: By, login: str, change: PersonChangeShape) -> dict[str, Any]:
    """Changes a person's role or password, ends the access, or makes a new link to come in by."""
    wish = PersonChange(change.role, change.active, change.password, change.second_step_gone)
    change_person(by.workplace, by.actor, login, wish)
    if change.invite:
        path = invite_again(by.workplace, by.actor, login)
        return {**_person(by, login), "invitation": _link(by, path)}
    return _person(by, login)


class NewTokenShape(Shape):
    """A token for a tool. Without rights it may do what its person may; it never may more."""

    name: Annotated[str, described_text(WORDS, MOST_TOKEN_NAME)]
    login: Annotated[str, Field(max_length=40)]
    rights: list[Right] = Field(default_factory=list, max_length=20)
    last_day: Day | None = None


@router.get("/tokens")
def get_tokens(by: By) -> dict[str, Any]:
    """Returns every token, without the text that is sent as Bearer, which nobody keeps."""
    with by.workplace.database.reading() as session:
        return {"items": [_token_shape(row) for row in token_rows(session)]}


@router.post("/tokens", status_code=201)
def post_token(by: By, wish: NewTokenShape) -> dict[str, Any]:
    """Makes a token. The answer holds it, this one time."""
    told = NewToken(wish.name, wish.login, wish.rights, wish.last_day)
    token = add_token(by.workplace, by.actor, told)
    with by.workplace.database.reading() as session:
        return {**_token_shape(token_rows(session)[0]), "token": token}


@router.delete("/tokens/{token}")
def delete_token(by: By, token: Named) -> dict[str, Any]:
    """Ends a token at once."""
    return {"id": token, "name": end_token(by.workplace, by.actor, token)}


def _token_shape(row: TokenRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "name": row.name,
        "login": row.person.login,
        "rights": row.rights,
        "last_day": row.last_day,
        "used_at": row.used_at,
        "created_at": row.created_at,
    }
