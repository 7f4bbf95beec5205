"""Serves picking on a phone, which goes on without a network and sends later what was scanned."""

import json
from typing import Any

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, Response

from relvan.core.picking.lists import numbered_stops
from relvan.core.picking.scans import read_scans
from relvan.core.refusal import not_found, refuse
from relvan.core.shipping.life import PickListState
from relvan.services.picking.elsewhere import found_elsewhere
from relvan.services.picking.scans import take_scans
from relvan.store.dispatch import PickRow, pick_list_rows, pick_rows
from relvan.store.scans import aliases_on_list
from relvan.web.addresses import address_of
from relvan.web.desk import At, Desk, Form
from relvan.web.rendering import STATIC

router = APIRouter()
TOLD_AGAIN = ("at", "picks", "elsewhere")


@router.get("/dispatch/phone", name="phone_index")
def phone_index(desk: At) -> HTMLResponse:
    """Shows the open pick lists to choose one on a phone."""
    with desk.workplace.database.reading() as session:
        rows = pick_list_rows(session, states=[PickListState.OPEN])
    return desk.page("dispatch/phone_lists.html", "dispatch", rows=rows)


@router.get("/dispatch/phone/{pick_list_id:int}", name="phone_show")
def phone_show(desk: At, pick_list_id: int) -> HTMLResponse:
    """Shows a pick list on a phone."""
    told = _told(desk, pick_list_id)
    return desk.page("dispatch/phone.html", "dispatch", told=told, number=told["number"])


def _told(desk: Desk, pick_list_id: int) -> dict[str, Any]:
    """Returns all that a phone needs to go on without a network."""
    with desk.workplace.database.reading() as session:
        found = pick_list_rows(session, pick_list_id=pick_list_id)
        rows = pick_rows(session, pick_list_id)
        aliases = aliases_on_list(session, pick_list_id)
        elsewhere = found_elsewhere(session, pick_list_id)
    if not found or found[0].state == PickListState.DRAFT:
        raise not_found("open pick list", pick_list_id)
    stops = numbered_stops([row.taken_as for row in rows])
    return {
        "id": pick_list_id,
        "number": found[0].number,
        "at": desk.workplace.now().timestamp(),  # of two states of a list, the newer one is true
        "send": address_of("phone_scans", pick_list_id=pick_list_id),
        "picks": [
            {**_pick(row, aliases.get(row.id, [])), "stop": stop}
            for row, stop in zip(rows, stops, strict=True)
        ],
        "elsewhere": [vars(one) for one in elsewhere],
    }


def _pick(row: PickRow, aliases: list[str]) -> dict[str, Any]:
    picture = ""
    if row.picture:
        picture = address_of("picture_show", sku=row.sku, sha=row.picture, side=480)
    return {
        "id": row.id,
        "bin": row.bin or "",
        "sku": row.sku,
        "title": row.title,
        "codes": [row.sku, *([row.gtin] if row.gtin else []), *aliases],
        "quantity": row.quantity,
        "picked": row.picked,
        "tote": row.tote or 0,
        "shipment": row.shipment,
        "picture": picture,
    }


@router.post("/dispatch/phone/{pick_list_id:int}/scans", name="phone_scans")
def phone_scans(desk: At, form: Form, pick_list_id: int) -> JSONResponse:
    """Takes what was scanned on a phone; answers each scan, and the picks as they are then."""
    try:
        told = json.loads(form.get("scans", ""))
    except ValueError:
        raise refuse("form", "What the phone sent is no JSON.", "Reload the page.") from None
    taken = take_scans(desk.workplace, desk.actor, pick_list_id, read_scans(told))
    now = _told(desk, pick_list_id)
    answers = [{"key": one.key, "said": one.said} for one in taken]
    return JSONResponse({"taken": answers} | {name: now[name] for name in TOLD_AGAIN})


@router.get("/phone-worker.js", name="phone_worker")
def phone_worker() -> Response:
    """Returns the script that keeps the pages for phones when there is no network; it must lie at the
    root to do that."""
    return FileResponse(
        STATIC / "js" / "phone-worker.js",
        media_type="text/javascript",
        headers={"Cache-Control": "no-cache", "Service-Worker-Allowed": "/"},
    )
