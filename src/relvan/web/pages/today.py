"""Serves the pages of Today: what waits for a person, in words; and the stations that are still to
come.
"""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.store.channels import channel_health, channels
from relvan.store.line import today_counts
from relvan.store.orders import money_in_trays
from relvan.web.desk import At

router = APIRouter()


@router.get("/", name="today_show")
def today_show(desk: At) -> HTMLResponse:
    """Shows what waits, station by station."""
    with desk.workplace.database.reading() as session:
        found = channels(session)
        health = channel_health(session, found, desk.workplace.now())
        values: dict[str, Any] = {
            "today": today_counts(session),
            "money": {row.tray: row for row in money_in_trays(session)},
            "channels": [(channel, health[channel.id]) for channel in found],
        }
    return desk.page("today/index.html", "today", **values)


@router.get("/consignments", name="consignment_index")
def consignment_index(desk: At) -> HTMLResponse:
    """Says what this station will hold."""
    return desk.page("today/consignments.html", "consignments")
