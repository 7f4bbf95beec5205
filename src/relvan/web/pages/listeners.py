"""Listeners: the seller's own tools that hear of changes, with what waits for them and how to try them."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.listeners.announcing import Matter
from relvan.core.refusal import Refused
from relvan.services.listeners.keep import KeepListener, add_listener, change_listener, drop_listener, try_listener
from relvan.store.listeners import listener_rows
from relvan.web.desk import At, Desk, Form, first_by_field

router = APIRouter(prefix="/setup/listeners")
BACK = "/setup/listeners"


def _page(
    desk: Desk, *, status: int = 200, form: Form | None = None, refused: Refused | None = None, secret: str = ""
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = listener_rows(session)
    return desk.page(
        "listeners/index.html", "setup", status=status, rows=rows, matters=list(Matter), secret=secret,
        typed=dict(form) if form else {}, ticked=form.all("matter") if form else [matter.value for matter in Matter],
        errors=first_by_field(refused.refusals) if refused else {}, refusals=refused.refusals if refused else (),
    )  # fmt: skip


def _wish(form: Form) -> KeepListener:
    return KeepListener(form.get("name", ""), form.get("address", "").strip(), form.all("matter"))


@router.get("", name="listener_index")
def listener_index(desk: At) -> HTMLResponse:
    """Every listener."""
    return _page(desk)


@router.post("", name="listener_add")
def listener_add(desk: At, form: Form) -> Response:
    """Make a listener; its secret is shown this once."""
    try:
        _, secret = add_listener(desk.workplace, desk.actor, _wish(form))
    except Refused as refused:
        return _page(desk, status=422, form=form, refused=refused)
    return _page(desk, secret=secret)


@router.post("/{listener_id:int}/{deed}", name="listener_deed")
def listener_deed(desk: At, form: Form, listener_id: int, deed: str) -> Response:
    """Try a listener, let it rest, let it hear again, or take it away."""
    try:
        if deed == "try":
            status = try_listener(desk.workplace, desk.actor, listener_id)
            return desk.done(BACK, f"It answered {status}.", tone="good" if 200 <= status < 300 else "look")
        if deed == "take-away":
            drop_listener(desk.workplace, desk.actor, listener_id)
            return desk.done(BACK, "Taken away.")
        change_listener(desk.workplace, desk.actor, listener_id, {"active": deed == "hear"})
    except Refused as refused:
        return _page(desk, status=422, refused=refused)
    return desk.done(BACK, "It hears again." if deed == "hear" else "It rests; what comes meanwhile waits for it.")
