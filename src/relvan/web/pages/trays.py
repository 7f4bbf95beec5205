"""Serves the page of trays: creating, changing, putting in order and deleting them."""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.trays import HUES, TrayForm, is_first_tray, repeats_progress
from relvan.core.refusal import Refused
from relvan.services.orders.trays import (
    TrayUse,
    change_tray,
    create_tray,
    delete_tray,
    order_trays,
    tray_form,
    use_of_tray,
    uses_of_trays,
)
from relvan.store.trays import tray_by_key, trays_of
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader

router = APIRouter(prefix="/orders/trays")


@router.get("", name="tray_index")
def tray_index(desk: At, tray: str = "") -> HTMLResponse:
    """Shows all trays, and the form of one of them or of a new one."""
    return _page(desk, tray)


def _page(
    desk: Desk,
    key: str = "",
    typed: TrayForm | None = None,
    refused: Refused | None = None,
    repeats: Mapping[str, str] | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = trays_of(session)
        chosen = tray_by_key(session, key) if key else None
    refusals = refused.refusals if refused else ()
    values: dict[str, Any] = {
        "trays": rows,
        "uses": uses_of_trays(desk.workplace),
        "chosen": chosen,
        "is_first": is_first_tray(key),
        "use": use_of_tray(desk.workplace, key) if key else TrayUse(0, (), ()),
        "typed": typed or (tray_form(chosen) if chosen else TrayForm("")),
        "hues": HUES,
        "repeats": repeats or {},
        "refusals": () if repeats else refusals,
        "errors": {} if repeats else first_by_field(refusals),
    }
    return desk.page("orders/trays.html", "orders", status=422 if refused else 200, **values)


def _read(form: PostedForm) -> TrayForm:
    read = FormReader(form)
    days = read.whole("remind_days", "Reminder after") or 0
    read.raise_if_refused()
    return TrayForm(read.text("name"), form.get("hue", "slate"), days, read.text("words"))


def _typed(form: PostedForm) -> TrayForm:
    """Returns what was typed, for showing it again; a number that cannot be read is left out."""
    return TrayForm(form.get("name", ""), form.get("hue", "slate"), 0, form.get("words", ""))


@router.post("", name="tray_create")
def tray_create(desk: At, form: Form) -> Response:
    """Creates a tray."""
    try:
        wish = _read(form)
        create_tray(desk.workplace, desk.actor, wish, anyway=bool(form.get("anyway")))
    except Refused as refused:
        repeats = refused.first.code == "repeats-progress"
        return _page(
            desk,
            "",
            _typed(form),
            refused,
            repeats_progress(form.get("name", "")) if repeats else None,
        )
    return desk.done("/orders/trays", f"{wish.name} is created.")


@router.post("/order", name="tray_order")
def tray_order(desk: At, form: Form) -> Response:
    """Saves the order of the trays."""
    order_trays(desk.workplace, desk.actor, form.all("tray"))
    return desk.done("/orders/trays", "The order of the trays is saved.")


@router.post("/{key}", name="tray_change")
def tray_change(desk: At, form: Form, key: str) -> Response:
    """Saves a tray."""
    try:
        wish = _read(form)
        change_tray(desk.workplace, desk.actor, key, wish)
    except Refused as refused:
        return _page(desk, key, _typed(form), refused)
    return desk.done("/orders/trays", f"{wish.name} is saved.")


@router.post("/{key}/delete", name="tray_delete")
def tray_delete(desk: At, form: Form, key: str) -> Response:
    """Deletes a tray and moves its orders to another one."""
    try:
        moved = delete_tray(desk.workplace, desk.actor, key, form.get("to", ""))
    except Refused as refused:
        return _page(desk, key, None, refused)
    words = f" {moved} {'order was' if moved == 1 else 'orders were'} moved." if moved else ""
    return desk.done("/orders/trays", f"The tray is deleted.{words}")
