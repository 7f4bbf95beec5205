"""Serves Setup of people: who works here, what each may do, and the end of somebody's access."""

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.people.roles import RIGHTS, Role
from relvan.core.refusal import Refused, refuse
from relvan.services.people.invite import invite_again, invite_person
from relvan.services.people.manage import PersonChange, change_person
from relvan.services.people.sign_in import add_person
from relvan.services.setup.mail import mail_invitation, view_mail_server
from relvan.store.people import everybody, open_accesses
from relvan.web.desk import AtSetup, Desk, Form, last_try

router = APIRouter(prefix="/setup/people")


@dataclass(frozen=True)
class Invitation:
    """The link by which somebody comes in, and the address to which it was mailed, or empty."""

    name: str
    link: str
    mailed: str = ""


def _people_page(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
    invitation: Invitation | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        people = everybody(session)
        accesses = open_accesses(session, desk.workplace.now())
    values: dict[str, Any] = {
        "people": people,
        "accesses": accesses,
        "role_names": [(role.value, role.value.capitalize()) for role in Role],
        "roles": [(role, sorted(str(right) for right in RIGHTS[role])) for role in Role],
        "invitation": invitation,
        "has_mail": bool(view_mail_server(desk.workplace).server.host),
        **last_try(typed, refused),
    }
    return desk.page("setup/people.html", "setup", status=status, **values)


@router.get("", name="people_index")
def people_index(desk: AtSetup) -> HTMLResponse:
    """Lists who works here."""
    return _people_page(desk)


@router.post("", name="person_add")
def person_add(desk: AtSetup, form: Form) -> Response:
    """Adds somebody with a first password, or without one and with a link to choose it."""
    try:
        role = _role(form.get("role", ""))
        if not form.get("password"):
            login, name = form.get("login", ""), form.get("name", "")
            path = invite_person(desk.workplace, desk.actor, login, name, role)
            return _invited(desk, path, name, form.get("mail", ""))
        add_person(
            desk.workplace,
            desk.actor,
            form.get("login", ""),
            form.get("name", ""),
            role,
            form.get("password", ""),
        )
    except Refused as refused:
        return _people_page(desk, status=422, typed=dict(form), refused=refused)
    return desk.done("/setup/people", f"{form.get('name', '').strip()} may sign in.")


@router.post("/{login}", name="person_save")
def person_save(desk: AtSetup, login: str, form: Form) -> Response:
    """Changes a person's role or password, ends the access, or gives it back."""
    try:
        if form.get("deed") == "invite":
            path = invite_again(desk.workplace, desk.actor, login)
            return _people_page(desk, invitation=Invitation(login, _link(desk, path)))
        words = _do(desk, login, form)
    except Refused as refused:
        return _people_page(desk, status=422, refused=refused)
    return desk.done("/setup/people", words)


def _invited(desk: Desk, path: str, name: str, mail: str) -> HTMLResponse:
    """Shows the link of an invitation, which has been mailed when an address was typed."""
    link, refused = _link(desk, path), None
    if mail:
        try:
            mail_invitation(desk.workplace, desk.actor, mail, link)
        except Refused as why:
            refused = why
    mailed = mail if refused is None else ""
    return _people_page(desk, invitation=Invitation(name, link, mailed), refused=refused)


def _do(desk: Desk, login: str, form: Form) -> str:
    deed = form.get("deed", "")
    if deed == "role":
        role = _role(form.get("role", ""))
        change_person(desk.workplace, desk.actor, login, PersonChange(role=role))
        return f"{login} has the role {role.value} now."
    if deed == "password":
        change = PersonChange(password=form.get("password", ""))
        change_person(desk.workplace, desk.actor, login, change)
        return f"{login} has a new password, and is signed out everywhere."
    if deed == "end":
        change_person(desk.workplace, desk.actor, login, PersonChange(active=False))
        return f"{login} is signed out everywhere and cannot come back."
    if deed == "one step":
        change_person(desk.workplace, desk.actor, login, PersonChange(second_step_gone=True))
        return f"{login} signs in by the password alone."
    if deed == "again":
        change_person(desk.workplace, desk.actor, login, PersonChange(active=True))
        return f"{login} may sign in again."
    raise refuse("unknown", f"“{deed[:20]}” is nothing that can be done.", "", "deed")


def _link(desk: Desk, path: str) -> str:
    return desk.workplace.settings.base_url.rstrip("/") + path


def _role(name: str) -> Role:
    if name not in set(Role):
        raise refuse("not-allowed", f"“{name[:20]}” is no role.", "Choose one.", "role")
    return Role(name)
