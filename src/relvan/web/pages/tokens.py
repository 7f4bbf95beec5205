"""Serves Setup of API tokens: what each may do, its last day, when it was last used, and its end."""

from datetime import date
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.services.people.tokens import NewToken, add_token, end_token
from relvan.store.people import active_people, token_rows
from relvan.web.desk import AtSetup, Desk, Form, last_try

router = APIRouter(prefix="/setup/tokens")


def _tokens_page(
    desk: Desk,
    *,
    status: int = 200,
    form: Form | None = None,
    refused: Refused | None = None,
    made: str = "",
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows, people = token_rows(session), active_people(session)
    values: dict[str, Any] = {
        "rows": rows,
        "people": people,
        "rights": [str(right) for right in Right],
        "today": desk.workplace.local_now().date().isoformat(),
        "made": made,
        "ticked": form.all("right") if form else [],
        **last_try(form, refused),
    }
    return desk.page("setup/tokens.html", "setup", status=status, **values)


@router.get("", name="token_index")
def token_index(desk: AtSetup) -> HTMLResponse:
    """Lists the tokens."""
    return _tokens_page(desk)


@router.post("", name="token_add")
def token_add(desk: AtSetup, form: Form) -> Response:
    """Makes a token, which is shown this one time."""
    try:
        made = add_token(desk.workplace, desk.actor, _wish(form))
    except Refused as refused:
        return _tokens_page(desk, status=422, form=form, refused=refused)
    return _tokens_page(desk, made=made)


@router.post("/{token_id:int}/end", name="token_end")
def token_end(desk: AtSetup, token_id: int, form: Form) -> Response:
    """Ends a token at once."""
    name = end_token(desk.workplace, desk.actor, token_id)
    return desk.done("/setup/tokens", f"The token {name} is not taken any more.")


def _wish(form: Form) -> NewToken:
    rights = form.all("right")
    if unknown := [name for name in rights if name not in set(Right)]:
        raise refuse("not-allowed", f"“{unknown[0][:20]}” is no right.", "Tick others.", "right")
    return NewToken(
        form.get("name", ""),
        form.get("login", ""),
        [Right(name) for name in rights],
        _day(form.get("last_day", "").strip()),
    )


def _day(typed: str) -> date | None:
    if not typed:
        return None
    try:
        return date.fromisoformat(typed)
    except ValueError:
        message = f"“Last day” must be a date; it got “{typed[:20]}”."
        raise refuse("form", message, "Type it like 2027-03-31.", "last_day") from None
