"""Serves the plan of a warehouse: drawn, edited, and with what is picked where."""

import json
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.picking.places import MOST_FILE, read_named_plan, read_plan_file
from relvan.core.picking.walk import BinRule
from relvan.core.refusal import Refused, not_found, refuse
from relvan.services.setup.floor import FloorState, floor_of, set_bin_purpose, set_plan
from relvan.store.stock import warehouse_by_key
from relvan.web.desk import AtSetup, Desk, Form, PostedForm, last_try
from relvan.web.floor_picture import floor_picture
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/warehouses")
RULES = {
    BinRule.EMPTIES: "the bin that is emptied so",
    BinRule.OLDEST: "the bin with the oldest stock",
    BinRule.NEAR: "the bin that lengthens the route least",
}
FIGURES = ("aisles", "bays", "bay_m", "aisle_pitch_m", "cross_off_m")


@router.get("/{key}/plan", name="floor_show")
def floor_show(desk: AtSetup, key: str) -> HTMLResponse:
    """Shows the plan of a warehouse with the picks of 28 days."""
    return _page(desk, key)


def _page(
    desk: Desk, key: str, form: PostedForm | None = None, refused: Refused | None = None
) -> HTMLResponse:
    state = floor_of(desk.workplace, key)
    with desk.workplace.database.reading() as session:
        warehouse = warehouse_by_key(session, key)
    heat = {one.code: one.picks for one in state.heat}
    values: dict[str, Any] = {
        "warehouse": warehouse,
        "state": state,
        "told": _told(state),
        "rules": RULES,
        "picture": floor_picture(state.plan, heat=heat) if state.plan else None,
        "busiest": sorted((one for one in state.heat if one.picks), key=lambda one: -one.picks)[
            :10
        ],
        **last_try(form, refused),
    }
    status = 422 if refused else 200
    return desk.page("setup/floor.html", "setup", status=status, **values)


def _told(state: FloorState) -> dict[str, Any]:
    """Returns the figures of the plan as the form shows them."""
    if state.plan is None:
        return {"bin_rule": state.rule}
    floor = state.plan.floor
    return {
        **{name: getattr(floor, name) for name in FIGURES},
        "cross_aisles": " ".join(f"{y:g}" for y in floor.cross),
        "names": " ".join(state.plan.names),
        "start_aisle": state.plan.names[floor.start.aisle],
        "start_end": "back" if floor.start.back else "front",
        "drop_aisle": state.plan.names[floor.drop.aisle],
        "drop_end": "back" if floor.drop.back else "front",
        "bin_rule": state.rule,
    }


def _wish(form: PostedForm) -> dict[str, Any]:
    """Returns the plan that a form describes, as plain data."""
    read = FormReader(form)
    told: dict[str, Any] = {
        "aisles": read.needed_whole("aisles", "Aisles"),
        "bays": read.needed_whole("bays", "Bays"),
    }
    read.raise_if_refused()
    for name in ("bay_m", "aisle_pitch_m", "cross_off_m"):
        told[name] = _metres(form.get(name, ""), name)
    told["cross_aisles"] = [
        _metres(part, "cross_aisles") for part in form.get("cross_aisles", "").split()
    ]
    names = [name.upper() for name in form.get("names", "").replace(",", " ").split()]
    told["names"] = names if len(names) == told["aisles"] else _grown(names, told["aisles"])
    for end in ("start", "drop"):
        aisle = form.get(f"{end}_aisle", "").strip().upper()
        if aisle and aisle not in told["names"]:
            message = f"There is no aisle “{aisle[:20]}”."
            raise refuse("not-found", message, "Name one of the plan.", f"{end}_aisle")
        at = told["names"].index(aisle) if aisle else 0
        told[end] = {"aisle": at, "end": form.get(f"{end}_end", "front")}
    told["bin_rule"] = form.get("bin_rule", "")
    return told


def _grown(names: list[str], aisles: int) -> list[str]:
    """Returns so many names of aisles: those that were typed, then the next that are free."""
    if not names:
        return []
    free = (chr(code) for code in range(ord("A"), ord("Z") + 1))
    if names[0].isdigit():
        free = (str(number).zfill(len(names[0])) for number in range(1, aisles + len(names) + 1))
    more = [name for name in free if name not in names]
    return [*names, *more][:aisles]


def _metres(text: str, name: str) -> float:
    try:
        return float(text.strip().replace(",", "."))
    except ValueError:
        message = f"“{text[:40]}” is not a length in metres."
        raise refuse("not-a-number", message, "Type it like 1.2.", name) from None


@router.post("/{key}/plan", name="floor_save")
def floor_save(desk: AtSetup, form: Form, key: str) -> Response:
    """Keeps the plan."""
    try:
        plan = set_plan(desk.workplace, desk.actor, key, _wish(form))
    except Refused as refused:
        return _page(desk, key, form, refused)
    words = f"The plan is saved: {plan.floor.aisles} aisles of {plan.floor.bays} bays."
    return desk.done(f"/setup/warehouses/{key}/plan", words)


@router.post("/{key}/plan/preview", name="floor_preview")
def floor_preview(desk: AtSetup, form: Form, key: str) -> HTMLResponse:
    """Draws the plan that a form describes, without keeping it."""
    state = floor_of(desk.workplace, key)
    heat = {one.code: one.picks for one in state.heat}
    try:
        told = {name: value for name, value in _wish(form).items() if name != "bin_rule"}
        picture = floor_picture(read_named_plan(told), heat=heat)
    except Refused as refused:
        return desk.fragment("parts/_floor_wrong.html", refusal=refused.first)
    return desk.fragment("parts/_floor.html", picture=picture, editing=True)


@router.post("/{key}/plan/file", name="floor_file")
def floor_file(desk: AtSetup, form: Form, key: str) -> Response:
    """Keeps a plan that is brought in by file."""
    files = form.files("file")
    content = b"".join(upload.file.read(MOST_FILE + 1) for upload in files[:1])
    try:
        plan = set_plan(desk.workplace, desk.actor, key, read_plan_file(content))
    except Refused as refused:
        return _page(desk, key, None, refused)
    words = f"The plan is saved: {plan.floor.aisles} aisles of {plan.floor.bays} bays."
    return desk.done(f"/setup/warehouses/{key}/plan", words)


@router.get("/{key}/plan.json", name="floor_file_show")
def floor_file_show(desk: AtSetup, key: str) -> Response:
    """Returns the plan as a file."""
    state = floor_of(desk.workplace, key)
    if state.plan is None or not state.is_kept:
        raise not_found("plan of warehouse", key)
    told = {**state.plan.as_dict(), "bin_rule": str(state.rule)}
    head = {"Content-Disposition": f'attachment; filename="plan of {key}.json"'}
    return Response(json.dumps(told, indent=1), media_type="application/json", headers=head)


@router.post("/{key}/bins/purpose", name="bin_purpose")
def bin_purpose(desk: AtSetup, form: Form, key: str) -> Response:
    """Says what a bin is for and how many units it holds."""
    read = FormReader(form)
    capacity = read.whole("capacity", "Capacity")
    read.raise_if_refused()
    code = form.get("code", "")
    set_bin_purpose(desk.workplace, desk.actor, key, code, form.get("purpose"), capacity or 0)
    return desk.done(f"/setup/warehouses/{key}#bins", f"Bin {code} is changed.")
