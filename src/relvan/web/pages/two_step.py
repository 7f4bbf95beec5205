"""Serves the second step of signing in: adding it to a phone, taking it away, and invitations."""

from typing import Annotated

from fastapi import APIRouter, Request
from fastapi import Form as Field
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import NotFound, Refused, refuse
from relvan.services.people.invite import take_invitation, who_is_invited
from relvan.services.people.sign_in import open_visit, person_with
from relvan.services.people.two_step import (
    begin_two_step,
    begun_two_step,
    confirm_two_step,
    end_two_step,
    give_ticket,
    needs_code,
)
from relvan.web.desk import (
    AccountForm,
    AtAccount,
    Desk,
    address_of_visitor,
    agent_of,
    first_by_field,
    is_two_step_demanded,
    last_try,
    workplace_of,
)
from relvan.web.pages.people import code_page, welcome
from relvan.web.rendering import environment_of, render

router = APIRouter()
BACK = "/account/two-step"
Typed = Annotated[str, Field(max_length=300)]


def _two_step_page(
    desk: Desk,
    *,
    status: int = 200,
    refused: Refused | None = None,
    codes: tuple[str, ...] = (),
) -> HTMLResponse:
    return desk.page(
        "people/two_step.html",
        "account",
        status=status,
        in_use=desk.signed_in.two_step or bool(codes),
        begun=begun_two_step(desk.workplace, desk.signed_in),
        demanded=is_two_step_demanded(desk.workplace, desk.signed_in),
        codes=codes,
        **last_try(None, refused),
    )


@router.get("/account/two-step", name="two_step_show")
def two_step_show(desk: AtAccount) -> HTMLResponse:
    """Shows whether one signs in by two steps, and how to begin."""
    return _two_step_page(desk)


@router.post("/account/two-step", name="two_step_begin")
def two_step_begin(desk: AtAccount, form: AccountForm) -> HTMLResponse:
    """Makes a new secret and shows it."""
    begin_two_step(desk.workplace, desk.signed_in)
    return _two_step_page(desk)


@router.post("/account/two-step/confirm", name="two_step_confirm")
def two_step_confirm(desk: AtAccount, form: AccountForm) -> HTMLResponse:
    """Takes the second step into use, and shows the recovery codes this once."""
    try:
        codes = confirm_two_step(desk.workplace, desk.signed_in, form.get("code", ""))
    except Refused as refused:
        return _two_step_page(desk, status=422, refused=refused)
    return _two_step_page(desk, codes=tuple(codes))


@router.post("/account/two-step/end", name="two_step_end")
def two_step_end(desk: AtAccount, form: AccountForm) -> Response:
    """Takes the second step away."""
    address = address_of_visitor(desk.request)
    try:
        end_two_step(desk.workplace, desk.signed_in, form.get("present", ""), address)
    except Refused as refused:
        return _two_step_page(desk, status=422, refused=refused)
    return desk.done(BACK, "You sign in by the password alone.")


@router.get("/invitations/{token}", name="invitation_show")
def invitation_show(request: Request, token: str) -> HTMLResponse:
    """Asks somebody who was invited for a password."""
    return _invitation_page(request, token)


@router.post("/invitations/{token}", name="invitation_take")
def invitation_take(
    request: Request, token: str, password: Typed = "", again: Typed = ""
) -> Response:
    """Sets the password, ends the link, and signs the person in, by two steps where these are in
    use."""
    workplace, address = workplace_of(request), address_of_visitor(request)
    try:
        if password != again:
            raise refuse("differs", "The two passwords differ.", "Type both once more.", "again")
        login = take_invitation(workplace, token, password, address)
        person = person_with(workplace, login, password, address)
    except NotFound:
        raise
    except Refused as refused:
        return _invitation_page(request, token, refused)
    if needs_code(person):
        return code_page(request, give_ticket(workplace, person), "/")
    visit = open_visit(workplace, person, login, address, agent_of(request))
    return welcome(request, visit, "/")


def _invitation_page(request: Request, token: str, refused: Refused | None = None) -> HTMLResponse:
    workplace = workplace_of(request)
    person = who_is_invited(workplace, token, address_of_visitor(request))
    errors = first_by_field(refused.refusals) if refused else {}
    values = {"person": person, "errors": errors}
    page = render(environment_of(workplace), "people/invitation.html", values)
    return HTMLResponse(page, 422 if refused else 200)
