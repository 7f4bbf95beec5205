"""Serves the first visit: while nobody works here, the page that makes the owner's account."""

from typing import Annotated

from fastapi import APIRouter, Request
from fastapi import Form as Field
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from relvan.core.people.roles import Role
from relvan.core.refusal import Refused, refuse
from relvan.services.people.first_visit import is_first_visit, make_owner
from relvan.services.people.sign_in import NewPerson, sign_in
from relvan.web.desk import address_of_visitor, agent_of, first_by_field, workplace_of
from relvan.web.pages.people import welcome
from relvan.web.rendering import environment_of, render

router = APIRouter()
Typed = Annotated[str, Field(max_length=300)]


def _first_visit_page(
    request: Request, *, typed: dict[str, str] | None = None, refused: Refused | None = None
) -> HTMLResponse:
    errors = first_by_field(refused.refusals) if refused else {}
    values = {"typed": typed or {}, "errors": errors}
    environment = environment_of(workplace_of(request))
    status = 422 if refused else 200
    return HTMLResponse(render(environment, "people/first_visit.html", values), status)


@router.get("/first-visit", name="first_visit_show")
def first_visit_show(request: Request) -> Response:
    """Asks for the code and the owner's account, until there is one."""
    if not is_first_visit(workplace_of(request)):
        return RedirectResponse("/sign-in", 303)
    return _first_visit_page(request)


@router.post("/first-visit", name="first_visit_send")
def first_visit_send(
    request: Request,
    code: Typed = "",
    name: Typed = "",
    login: Typed = "",
    password: Typed = "",
    again: Typed = "",
) -> Response:
    """Makes the owner's account and signs the owner in."""
    workplace = workplace_of(request)
    address = address_of_visitor(request)
    try:
        if password != again:
            raise refuse("differs", "The two passwords differ.", "Type both once more.", "again")
        make_owner(workplace, code, NewPerson(login, name, Role.OWNER, password), address)
        visit = sign_in(workplace, login, password, address, agent_of(request))
    except Refused as refused:
        typed = {"code": code, "name": name, "login": login}
        return _first_visit_page(request, typed=typed, refused=refused)
    return welcome(request, visit, "/")
