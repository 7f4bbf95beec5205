"""Serves the pack bench, where everything is done by scanning, and the cartons in Setup."""

import json
from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.packing.arranging import Push, told_arranged
from relvan.core.refusal import Refused, not_found, refuse
from relvan.core.shipping.life import ShipmentState
from relvan.services.bench.scan import (
    CLOSE,
    BenchScan,
    Scanned,
    bench_view,
    scan_at_bench,
    set_bench_scan,
)
from relvan.services.packing.cartons import (
    FIGURES,
    CartonDeed,
    CartonProposal,
    arrange_carton,
    save_carton,
)
from relvan.store.bench import cartons
from relvan.store.orders import shipment_rows
from relvan.store.stock import warehouse_by_key, warehouses
from relvan.web.carton_picture import carton_picture, picture_from_above
from relvan.web.desk import At, AtSetup, Desk, Form, PostedForm, first_by_field, last_try
from relvan.web.reading import FormReader

router = APIRouter()


@router.get("/dispatch/bench", name="bench_show")
def bench_show(desk: At, shipment: int = 0, carton: str = "") -> HTMLResponse:
    """Shows the bench, empty or with a shipment on it; its goods in the cheapest cartons, or in the one
    that is chosen."""
    return _page(desk, shipment or None, carton=carton)


def _page(
    desk: Desk,
    shipment_id: int | None,
    *,
    scanned: Scanned | None = None,
    refused: Refused | None = None,
    typed: dict[str, str] | None = None,
    carton: str = "",
) -> HTMLResponse:
    typed = typed or {}
    view = bench_view(desk.workplace, shipment_id, carton=carton) if shipment_id else None
    if view and view.shipment.state != ShipmentState.TO_PACK:
        view = None
    with desk.workplace.database.reading() as session:
        names = {row.code: row.name for row in cartons(session)}
        waiting = len(shipment_rows(session, states=[ShipmentState.TO_PACK], limit=2000))
    proposal = view.proposal.arranged(_kept(typed)) if view else CartonProposal(None)
    refusals = refused.refusals if refused else ()
    values: dict[str, Any] = {
        "view": view,
        "names": names,
        "carton": carton,
        "waiting": waiting,
        **_pictures(proposal),
        "words": scanned.words if scanned else "",
        "parcels": scanned.parcels if scanned else (),
        "trouble": scanned.trouble if scanned else "",
        "asked": refused.first.field if refused else "",
        "has_scale": bool(desk.workplace.firm.scale),
        "typed": typed,
        "errors": first_by_field(refusals),
        "refusals": refusals,
    }
    return desk.page("dispatch/bench.html", "dispatch", status=422 if refused else 200, **values)


@router.post("/dispatch/bench", name="bench_scan")
def bench_scan(desk: At, form: Form) -> Response:
    """Does what a scanned code means."""
    read = FormReader(form)
    weight, shipment = read.whole("weight_g", "Weight"), read.whole("shipment", "Shipment")
    carton, code = form.get("carton", ""), form.get("code", "").strip()
    if carton and (code.upper() == CLOSE or (not code and form.get("close"))):
        code = carton
    code = code or (CLOSE if form.get("close") else "")
    try:
        read.raise_if_refused()
        scan = BenchScan(
            code, shipment, weight, form.get("anyway") == "yes", form.get("part") == "yes"
        )
        scanned = scan_at_bench(desk.workplace, desk.actor, scan)
    except Refused as refused:
        return _page(desk, shipment, refused=refused, typed=dict(form), carton=carton)
    same = scanned.shipment_id == shipment
    kept = {"arrangement": form.get("arrangement", "")} if same else {}
    return _page(
        desk, scanned.shipment_id, scanned=scanned, typed=kept, carton=carton if same else ""
    )


def _kept(typed: Mapping[str, str]) -> Any:
    """Returns the arrangement that the page has kept; what cannot be read is none."""
    try:
        return json.loads(typed.get("arrangement") or "null")
    except ValueError:
        return None


def _pictures(
    proposal: CartonProposal, moved: tuple[int, int] = (0, 0), cannot: str = ""
) -> dict[str, Any]:
    cartons = proposal.choice.cartons if proposal.choice else ()
    return {
        "pictures": [(one, carton_picture(one), picture_from_above(one)) for one in cartons],
        "arrangement": json.dumps([told_arranged(one) for one in cartons]),
        "moved": moved,
        "cannot": cannot,
    }


@router.post("/dispatch/bench/arrange", name="bench_arrange")
def bench_arrange(desk: At, form: Form) -> HTMLResponse:
    """Arranges the goods of a carton otherwise, and shows it; what cannot be is said, and nothing changes."""
    read = FormReader(form)
    shipment, which = read.whole("shipment", "Shipment"), read.whole("which", "Carton")
    number = read.whole("number", "Number")
    read.raise_if_refused()
    view = bench_view(desk.workplace, shipment or 0, carton=form.get("carton", ""))
    proposal = view.proposal.arranged(_kept(form))
    place, cannot = (which or 0, number or 0), ""
    try:
        proposal, now = arrange_carton(proposal, *place, _deed(form))
        place = (place[0], now)
    except Refused as refused:
        cannot = f"{refused.first.message} {refused.first.fix}"
    with desk.workplace.database.reading() as session:
        names = {row.code: row.name for row in cartons(session)}
    return desk.fragment(
        "dispatch/_cartons.html", view=view, names=names, **_pictures(proposal, place, cannot)
    )


def _deed(form: PostedForm) -> CartonDeed:
    deed = form.get("deed", "")
    try:
        if deed == "turn":
            return "turn"
        return (float(form.get("x", "")), float(form.get("y", ""))) if deed == "put" else Push(deed)
    except ValueError:
        message = f"Nothing is called “{deed[:20]}” here."
        raise refuse("unknown", message, "Reload the page.", "deed") from None


def _cartons_page(
    desk: Desk, form: PostedForm | None = None, refused: Refused | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = cartons(session)
        places = [row for row in warehouses(session) if not row.centre]
    values = {"rows": rows, "places": places, "figures": FIGURES, **last_try(form, refused)}
    return desk.page("setup/cartons.html", "setup", status=422 if refused else 200, **values)


@router.get("/setup/cartons", name="carton_index")
def carton_index(desk: AtSetup) -> HTMLResponse:
    """Shows the cartons, and what is scanned at the bench of each warehouse."""
    return _cartons_page(desk)


@router.post("/setup/cartons", name="carton_save")
def carton_save(desk: AtSetup, form: Form) -> Response:
    """Adds a carton, or changes the one with this code."""
    read = FormReader(form)
    told: dict[str, Any] = {
        name: read.amount(name, desk.workplace.firm.currency)
        if name == "cost"
        else read.whole(name, label)
        for name, (label, _, _) in FIGURES.items()
    }
    told |= {"name": form.get("name", "").strip(), "used": form.get("used") == "yes"}
    try:
        read.raise_if_refused()
        code = save_carton(desk.workplace, desk.actor, form.get("code", ""), told)
    except Refused as refused:
        return _cartons_page(desk, form, refused)
    return desk.done("/setup/cartons", f"Carton {code} is saved.")


@router.post("/setup/cartons/bench", name="bench_scan_save")
def bench_scan_save(desk: AtSetup, form: Form) -> Response:
    """Says what is scanned at the bench of a warehouse."""
    with desk.workplace.database.reading() as session:
        place = warehouse_by_key(session, form.get("warehouse", ""))
    if place.centre:
        raise not_found("bench", place.key)
    set_bench_scan(desk.workplace, desk.actor, place.id, form.get("scan", ""))
    return desk.done("/setup/cartons", f"Saved for {place.name}.")
