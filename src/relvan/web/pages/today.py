"""Serves the first page of the day, and the page of a station that is still to come."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.core.people.roles import Right
from relvan.core.setup.first_steps import FirstStep
from relvan.core.today.agenda import TaskKind
from relvan.services.setup.first_steps import steps_of
from relvan.services.today import look_at_today
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
# kind -> words for one, words for many, the page that lists them, and its query
WORDS: dict[TaskKind, tuple[str, str, str, dict[str, str]]] = {
    TaskKind.TO_SHIP: (
        "shipment to label and send",
        "shipments to label and send",
        "dispatch_index",
        {"stage": "to ship"},
    ),
    TaskKind.TO_PACK: (
        "shipment to pack",
        "shipments to pack",
        "dispatch_index",
        {"stage": "to pack"},
    ),
    TaskKind.PICKING: (
        "shipment is being picked",
        "shipments are being picked",
        "dispatch_index",
        {"stage": "picking"},
    ),
    TaskKind.TO_PICK: (
        "shipment to pick",
        "shipments to pick",
        "dispatch_index",
        {"stage": "to pick"},
    ),
    TaskKind.TO_HAND_OVER: (
        "shipment to hand over to a centre",
        "shipments to hand over to centres",
        "dispatch_index",
        {"stage": "to hand over"},
    ),
    TaskKind.LATE_PARCEL: (
        "parcel is late or lost, without a claim",
        "parcels are late or lost, without a claim",
        "parcel_index",
        {"show": "look"},
    ),
    TaskKind.UNKNOWN: (
        "order has a line whose product is unknown",
        "orders have lines whose products are unknown",
        "order_index",
        {"unknown": "yes"},
    ),
    TaskKind.NOTICED: (
        "order has something to look at",
        "orders have something to look at",
        "order_index",
        {"noticed": "yes"},
    ),
    TaskKind.SHORT: (
        "order is short of stock",
        "orders are short of stock",
        "order_index",
        {"tray": "short", "aside": "no"},
    ),
    TaskKind.INBOX: (
        "order lies in the inbox",
        "orders lie in the inbox",
        "order_index",
        {"tray": "inbox", "aside": "no"},
    ),
    TaskKind.TROUBLE: (
        "channel is in trouble or paused",
        "channels are in trouble or paused",
        "update_index",
        {},
    ),
    TaskKind.REFUSED: (
        "listing was refused by its channel",
        "listings were refused by their channels",
        "listing_index",
        {"state": "refused"},
    ),
    TaskKind.DRIFT: (
        "listing drifted: the channel shows what we never sent",
        "listings drifted: the channels show what we never sent",
        "drift_index",
        {},
    ),
    TaskKind.BELOW: (
        "listing is shown below its floor",
        "listings are shown below their floors",
        "price_index",
        {"floor": "below"},
    ),
    TaskKind.BLOCKED: (
        "place holds blocked stock",
        "places hold blocked stock",
        "stock_index",
        {"blocked": "yes"},
    ),
    TaskKind.OUTDATED: (
        "listing is outdated: the channel shows something else",
        "listings are outdated: the channels show something else",
        "listing_index",
        {"state": "behind"},
    ),
    TaskKind.FLOORED: (
        "price is held by its floor",
        "prices are held by their floors",
        "price_index",
        {"floor": "held"},
    ),
    TaskKind.READY: (
        "listing is ready to publish",
        "listings are ready to publish",
        "listing_index",
        {"state": "ready"},
    ),
    TaskKind.DRAFT: (
        "draft has gaps",
        "drafts have gaps",
        "listing_index",
        {"state": "draft"},
    ),
    TaskKind.LACKING: (
        "product lacks basic details",
        "products lack basic details",
        "product_index",
        {"facts": "lacking"},
    ),
}
LOUD = (TaskKind.UNKNOWN, TaskKind.SHORT, TaskKind.REFUSED, TaskKind.TROUBLE)


@router.get("/", name="today_show")
def today_show(desk: At) -> HTMLResponse:
    """Shows what waits, what costs most first, and how things are."""
    with desk.workplace.database.reading() as session:
        steps, is_new = steps_of(session) if desk.may(Right.SETUP) else ([], False)
        still_open = [step for step in steps if step.is_open]
        if still_open and is_new:
            return desk.page("today/first_steps.html", "today", steps=steps, places=STEP_PAGES)
        values: dict[str, Any] = {
            "today": look_at_today(session, desk.workplace, desk.actor.role),
            "still_open": still_open,
            "places": STEP_PAGES,
            "said": WORDS,
            "loud": LOUD,
        }
    return desk.page("today/index.html", "today", **values)


@router.get("/consignments", name="consignment_index")
def consignment_index(desk: At) -> HTMLResponse:
    """Says what this station will hold."""
    return desk.page("today/consignments.html", "consignments")
