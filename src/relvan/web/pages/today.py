"""Serves the pages of Today: what waits for a person, in words; and the stations that are still to
come.
"""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.core.people.roles import Right
from relvan.core.setup.first_steps import FirstStep
from relvan.services.setup.first_steps import steps_of
from relvan.store.channels import channel_health, channels
from relvan.store.line import today_counts
from relvan.store.orders import money_in_trays
from relvan.web.desk import At

router = APIRouter()
STEP_PAGES = {
    FirstStep.FIRM: "firm_show",
    FirstStep.WAREHOUSE: "warehouse_index",
    FirstStep.PRICE_LIST: "price_list_index",
    FirstStep.CHANNEL: "setup_index",
    FirstStep.PRODUCTS: "move_in_index",
    FirstStep.STOCK: "count_show",
    FirstStep.CARRIER: "setup_index",
}


@router.get("/", name="today_show")
def today_show(desk: At) -> HTMLResponse:
    """Shows what waits, station by station."""
    with desk.workplace.database.reading() as session:
        steps, is_new = steps_of(session) if desk.may(Right.SETUP) else ([], False)
        still_open = [step for step in steps if step.is_open]
        if still_open and is_new:
            return desk.page("today/first_steps.html", "today", steps=steps, places=STEP_PAGES)
        found = channels(session)
        health = channel_health(session, found, desk.workplace.now())
        values: dict[str, Any] = {
            "today": today_counts(session),
            "still_open": still_open,
            "places": STEP_PAGES,
            "money": {row.tray: row for row in money_in_trays(session)},
            "channels": [(channel, health[channel.id]) for channel in found],
        }
    return desk.page("today/index.html", "today", **values)


@router.get("/consignments", name="consignment_index")
def consignment_index(desk: At) -> HTMLResponse:
    """Says what this station will hold."""
    return desk.page("today/consignments.html", "consignments")
