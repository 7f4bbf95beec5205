"""Signs people in and out."""

from typing import Annotated

from fastapi import APIRouter, Request
from fastapi import Form as Field
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from relvan.core.refusal import Refused, not_found
from relvan.services.people.account import (
    NewPassword,
    change_own_password,
    end_visit,
    open_visits,
)
from relvan.services.people.desk import leave_toast
from relvan.services.people.first_visit import is_first_visit
from relvan.services.people.sign_in import (
    SignedIn,
    find_visit,
    open_visit,
    person_with,
    sign_out,
)
from relvan.services.people.two_step import give_ticket, needs_code, sign_in_with_code
from relvan.store.people import active_people, person_by_login
from relvan.web.desk import (
    COOKIE,
    AccountForm,
    At,
    Desk,
    Form,
    address_of_visitor,
    agent_of,
    first_by_field,
    last_try,
    workplace_of,
)
from relvan.web.rendering import environment_of, render

router = APIRouter()
Typed = Annotated[str, Field(max_length=300)]


def sign_in_page(
    request: Request, *, login: str = "", refused: Refused | None = None
) -> HTMLResponse:
    """Returns the page that asks who it is; in the demo it offers the demo's people."""
    workplace = workplace_of(request)
    offered = []
    if workplace.settings.demo:
        with workplace.database.reading() as session:
            offered = [
                (person.login, person.name, person.role) for person in active_people(session)
            ]
    errors = first_by_field(refused.refusals) if refused else {}
    values = {
        "login": login,
        "errors": errors,
        "offered": offered,
        "next": request.query_params.get("next", ""),
    }
    return HTMLResponse(
        render(environment_of(workplace), "people/sign_in.html", values),
        422 if refused else 200,
    )


@router.get("/sign-in", name="sign_in_show")
def sign_in_show(request: Request) -> Response:
    """Asks who it is, unless somebody is signed in."""
    if find_visit(workplace_of(request), request.cookies.get(COOKIE, "")):
        return RedirectResponse("/", 303)
    if is_first_visit(workplace_of(request)):
        return RedirectResponse(request.url_for("first_visit_show").path, 303)
    return sign_in_page(request)


@router.post("/sign-in", name="sign_in_send")
def sign_in_send(
    request: Request, login: Typed = "", password: Typed = "", next: Typed = ""
) -> Response:
    """Checks name and password."""
    address = address_of_visitor(request)
    workplace = workplace_of(request)
    try:
        person = person_with(workplace, login, password, address)
    except Refused as refused:
        return sign_in_page(request, login=login, refused=refused)
    if needs_code(person):
        return code_page(request, give_ticket(workplace, person), next)
    visit = open_visit(workplace, person, person.login, address, agent_of(request))
    return welcome(request, visit, next)


def code_page(
    request: Request, ticket: str, wanted: str, refused: Refused | None = None
) -> HTMLResponse:
    """Returns the page that asks for the second step of signing in."""
    errors = first_by_field(refused.refusals) if refused else {}
    values = {"ticket": ticket, "next": wanted, "errors": errors}
    page = render(environment_of(workplace_of(request)), "people/code.html", values)
    return HTMLResponse(page, 422 if refused else 200)


@router.post("/sign-in/code", name="sign_in_code")
def sign_in_code(
    request: Request,
    ticket: Annotated[str, Field(max_length=2_000)] = "",
    code: Typed = "",
    next: Typed = "",
) -> Response:
    """Checks the code of somebody whose password was right."""
    workplace, address = workplace_of(request), address_of_visitor(request)
    try:
        visit = sign_in_with_code(workplace, ticket, code, address, agent_of(request))
    except Refused as refused:
        if refused.first.code == "too-late":
            return sign_in_page(request, refused=refused)
        return code_page(request, ticket, next, refused)
    return welcome(request, visit, next)


@router.post("/sign-in/demo", name="sign_in_demo")
def sign_in_demo(request: Request, login: Typed = "", next: Typed = "") -> Response:
    """Signs in a person who was chosen from a list, in the demo and only there."""
    workplace = workplace_of(request)
    if not workplace.settings.demo:
        raise not_found("page", "sign-in/demo")
    with workplace.database.reading() as session:
        person = person_by_login(session, login)
        if person is None:
            raise not_found("person", login[:40])
    return welcome(request, open_visit(workplace, person, login), next)


@router.post("/sign-out", name="sign_out")
def sign_out_send(request: Request, form: AccountForm) -> Response:
    """Signs the person out."""
    sign_out(workplace_of(request), request.cookies.get(COOKIE, ""))
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(COOKIE)
    return answer


def _account_page(desk: Desk, *, status: int = 200, refused: Refused | None = None) -> HTMLResponse:
    visits = open_visits(desk.workplace, desk.actor, desk.request.cookies.get(COOKIE, ""))
    return desk.page(
        "people/account.html",
        "account",
        status=status,
        visits=visits,
        login=desk.signed_in.login,
        two_step=desk.signed_in.two_step,
        **last_try(None, refused),
    )


@router.get("/account", name="account_show")
def account_show(desk: At) -> HTMLResponse:
    """Shows one's own account: the password, and where one is signed in."""
    return _account_page(desk)


@router.post("/account/password", name="account_password")
def account_password(desk: At, form: Form) -> Response:
    """Changes one's own password; every other sign-in ends."""
    wish = NewPassword(form.get("present", ""), form.get("new", ""), form.get("again", ""))
    address, agent = address_of_visitor(desk.request), agent_of(desk.request)
    try:
        visit = change_own_password(desk.workplace, desk.signed_in, wish, address, agent)
    except Refused as refused:
        return _account_page(desk, status=422, refused=refused)
    words = "Your password is changed, and you are signed out everywhere else."
    toast = leave_toast(desk.workplace, desk.actor, words)
    return welcome(desk.request, visit, f"/account?toast={toast}")


@router.post("/account/visits/{key}/end", name="visit_end")
def visit_end(desk: At, key: str, form: Form) -> Response:
    """Ends one of one's own sign-ins."""
    end_visit(desk.workplace, desk.actor, key)
    return desk.done("/account", "That sign-in is ended.")


def welcome(request: Request, visit: SignedIn, wanted: str) -> Response:
    """Redirects to where the person wanted to go, on this site only."""
    inside = wanted.startswith("/") and not wanted.startswith(("//", "/\\"))
    answer = RedirectResponse(wanted if inside else "/", 303)
    secure = workplace_of(request).settings.base_url.startswith("https")
    answer.set_cookie(
        COOKIE, visit.cookie, max_age=14 * 86400, httponly=True, samesite="lax", secure=secure
    )
    return answer
