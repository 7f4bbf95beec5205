"""Serves the pages of updates: what each channel is still to be told, how late it hears of sales,
what it refused; and drift.
"""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.channels.drift import TOPICS
from relvan.core.refusal import Refused, not_found
from relvan.services.channels.delivery import deliveries
from relvan.services.channels.settings import change_channel
from relvan.services.duties import workers_seen
from relvan.services.listings.drift import leave_drift, mend_drift
from relvan.store.channels import channels
from relvan.store.drifts import drift_rows
from relvan.web.desk import At, Desk, Form

router = APIRouter(prefix="/updates")
PAGE = 100
BACK = "/updates/drift"


@router.get("", name="update_index")
def update_index(desk: At) -> HTMLResponse:
    """Shows every channel with its state, what waits, how late it heard of sales, and what it
    refused, with buttons to pause and resume; and the workers.
    """
    with desk.workplace.database.reading() as session:
        found, workers = deliveries(session, desk.workplace), workers_seen(session, desk.workplace)
        return desk.page("updates/index.html", "today", found=found, workers=workers)


def _drift(
    desk: Desk, *, before: int | None = None, status: int = 200, refused: Refused | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = drift_rows(session, before=before, limit=PAGE + 1)
        return desk.page(
            "updates/drift.html",
            "today",
            status=status,
            rows=rows[:PAGE],
            channels=channels(session),
            ended=drift_rows(session, ended=True, limit=15),
            topics=TOPICS,
            more=f"{BACK}?before={rows[PAGE - 1].id}" if len(rows) > PAGE else "",
            first=BACK if before else "",
            refusals=refused.refusals if refused else (),
        )


@router.get("/drift", name="drift_index")
def drift_index(desk: At, before: int | None = None) -> HTMLResponse:
    """Shows where channels show something else than they last accepted."""
    return _drift(desk, before=before)


@router.post("/drift/rules/{key}", name="drift_rule")
def drift_rule(desk: At, form: Form, key: str) -> Response:
    """Saves the topics on which a channel's drift is corrected automatically."""
    change_channel(desk.workplace, desk.actor, key, {"mends": form.all("topic")})
    return desk.done(BACK, "Saved.")


@router.post("/drift/{deed}", name="drift_deed")
def drift_deed(desk: At, form: Form, deed: str) -> Response:
    """Sends the ticked values again, or leaves them as they are."""
    if deed not in ("mend", "leave"):
        raise not_found("deed", deed)
    try:
        if deed == "mend":
            count = mend_drift(desk.workplace, desk.actor, form.ids("pick"))
            return desk.done(
                BACK, f"{count} {'update' if count == 1 else 'updates'} will be sent again."
            )
        count = leave_drift(desk.workplace, desk.actor, form.ids("pick"))
        return desk.done(BACK, f"{count} left as they are, until ours or theirs is another.")
    except Refused as refused:
        return _drift(desk, status=422, refused=refused)
