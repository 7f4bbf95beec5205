"""Serves the pages of webhooks: the seller's own tools that are told of changes, with the messages
that wait for them and how to try them.
"""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refused, not_found
from relvan.core.webhooks.announcing import Matter
from relvan.services.webhooks.keep import (
    KeepWebhook,
    add_webhook,
    change_webhook,
    drop_webhook,
    try_webhook,
)
from relvan.store.webhooks import webhook_rows
from relvan.web.desk import AtSetup, Desk, Form, first_by_field

router = APIRouter(prefix="/setup/webhooks")
BACK = "/setup/webhooks"


def _page(
    desk: Desk,
    *,
    status: int = 200,
    form: Form | None = None,
    refused: Refused | None = None,
    secret: str = "",
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = webhook_rows(session)
    return desk.page(
        "webhooks/index.html",
        "setup",
        status=status,
        rows=rows,
        matters=list(Matter),
        secret=secret,
        typed=dict(form) if form else {},
        ticked=form.all("matter") if form else [matter.value for matter in Matter],
        errors=first_by_field(refused.refusals) if refused else {},
        refusals=refused.refusals if refused else (),
    )


def _wish(form: Form) -> KeepWebhook:
    return KeepWebhook(form.get("name", ""), form.get("address", "").strip(), form.all("matter"))


@router.get("", name="webhook_index")
def webhook_index(desk: AtSetup) -> HTMLResponse:
    """Shows every webhook."""
    return _page(desk)


@router.post("", name="webhook_add")
def webhook_add(desk: AtSetup, form: Form) -> Response:
    """Creates a webhook; its secret is shown this one time."""
    try:
        _, secret = add_webhook(desk.workplace, desk.actor, _wish(form))
    except Refused as refused:
        return _page(desk, status=422, form=form, refused=refused)
    return _page(desk, secret=secret)


@router.post("/{webhook_id:int}/{deed}", name="webhook_deed")
def webhook_deed(desk: AtSetup, form: Form, webhook_id: int, deed: str) -> Response:
    """Sends a webhook a test message, pauses it, resumes it, or deletes it."""
    if deed not in ("try", "pause", "resume", "delete"):
        raise not_found("deed", deed)
    try:
        if deed == "try":
            status = try_webhook(desk.workplace, desk.actor, webhook_id)
            return desk.done(
                BACK, f"It answered {status}.", tone="good" if 200 <= status < 300 else "look"
            )
        if deed == "delete":
            drop_webhook(desk.workplace, desk.actor, webhook_id)
            return desk.done(BACK, "The webhook is deleted.")
        change_webhook(desk.workplace, desk.actor, webhook_id, {"active": deed == "resume"})
    except Refused as refused:
        return _page(desk, status=422, refused=refused)
    return desk.done(
        BACK,
        "The webhook is active again."
        if deed == "resume"
        else "The webhook is paused; its messages wait for it.",
    )
