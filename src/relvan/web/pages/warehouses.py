"""Serves Setup of warehouses and their bins."""

from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refused, refuse
from relvan.core.setup.bins import codes_of_table, read_codes, written_out
from relvan.core.setup.countries import country_names
from relvan.core.setup.warehouses import DAYS, WarehouseFacts
from relvan.documents.tables import small_table
from relvan.services.setup.bins import (
    add_bins,
    close_bin,
    foresee_bins,
    merge_bins,
    rename_bin,
)
from relvan.services.setup.warehouses import (
    add_warehouse,
    change_warehouse,
    channels_with_centres_of_their_own,
    foresee_removal,
    remove_warehouse,
    warehouse_facts,
)
from relvan.store.setup import bin_lines, channels_fed, safety_of_warehouse, warehouse_lines
from relvan.store.stock import warehouse_by_key
from relvan.web.desk import AtSetup, Desk, Form, PostedForm, last_try
from relvan.web.reading import FormReader, fields_under

router = APIRouter(prefix="/setup/warehouses")
PAGE = 100
MOST_BYTES = 2_000_000
SHOWN = 12


def _index_page(
    desk: Desk, *, status: int = 200, form: PostedForm | None = None, refused: Refused | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        lines = [(line, warehouse_facts(line.warehouse)) for line in warehouse_lines(session)]
    facts = WarehouseFacts("", "", address=desk.workplace.firm.address)
    values = {"lines": lines, **_form_values(desk, facts, form, refused)}
    return desk.page("setup/warehouses.html", "setup", status=status, **values)


def _show_page(
    desk: Desk,
    key: str,
    *,
    status: int = 200,
    form: PostedForm | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    after = desk.request.query_params.get("after", "")
    start = int(after) if after.isascii() and after.isdigit() and len(after) < 9 else 0
    with desk.workplace.database.reading() as session:
        row = warehouse_by_key(session, key)
        facts = warehouse_facts(row)
        bins = bin_lines(session, row.id, after=start, limit=PAGE + 1)
        feeds = channels_fed(session, row.id)
        safety = safety_of_warehouse(session, row.id)
        (total,) = warehouse_lines(session, row.id)
    values = {
        "bins": bins[:PAGE],
        "more": bins[PAGE - 1].walk if len(bins) > PAGE else None,
        "start": start,
        "total": total,
        "use": foresee_removal(desk.workplace, key),
        "feeds": feeds,
        "safety": safety,
        **_form_values(desk, facts, form, refused),
    }
    return desk.page("setup/warehouse.html", "setup", status=status, **values)


def _form_values(
    desk: Desk, facts: WarehouseFacts, form: PostedForm | None, refused: Refused | None
) -> dict[str, Any]:
    return {
        "facts": facts,
        "days": DAYS,
        "chosen_days": set(form.ids("day")) if form is not None else set(facts.pick_up.days),
        "countries": country_names(desk.workplace.firm.locale),
        "centre_channels": channels_with_centres_of_their_own(desk.workplace),
        **last_try(form, refused),
    }


def _wish(form: PostedForm) -> dict[str, Any]:
    pick_up = {"days": form.ids("day"), "cut_off": form.get("cut_off", "")}
    read = FormReader(form)
    safety = read.whole("safety", "Safety stock") or 0
    read.raise_if_refused()
    told = ("name", "kind", "key", "channel", "centre", "takes", "hand_over")
    named = {name: form[name].strip() for name in told if name in form}
    return {
        **named,
        "safety": safety,
        "address": fields_under(form, "address_"),
        "pick_up": pick_up,
    }


@router.get("", name="warehouse_index")
def warehouse_index(desk: AtSetup) -> HTMLResponse:
    """Lists the warehouses with what lies in them."""
    return _index_page(desk)


@router.post("", name="warehouse_add")
def warehouse_add(desk: AtSetup, form: Form) -> Response:
    """Adds a warehouse."""
    try:
        key = add_warehouse(desk.workplace, desk.actor, _wish(form))
    except Refused as refused:
        return _index_page(desk, status=422, form=form, refused=refused)
    return desk.done(f"/setup/warehouses/{key}", "The warehouse is added, with one bin, FLOOR.")


@router.get("/{key}", name="warehouse_show")
def warehouse_show(desk: AtSetup, key: str) -> HTMLResponse:
    """Shows a warehouse and its bins."""
    return _show_page(desk, key)


@router.post("/{key}", name="warehouse_save")
def warehouse_save(desk: AtSetup, key: str, form: Form) -> Response:
    """Saves what is known of a warehouse."""
    try:
        change_warehouse(desk.workplace, desk.actor, key, _wish(form))
    except Refused as refused:
        return _show_page(desk, key, status=422, form=form, refused=refused)
    return desk.done(_at(key), "The warehouse is saved.")


@router.post("/{key}/remove", name="warehouse_remove")
def warehouse_remove(desk: AtSetup, key: str, form: Form) -> Response:
    """Removes a warehouse that was never used."""
    remove_warehouse(desk.workplace, desk.actor, key)
    return desk.done("/setup/warehouses", "The warehouse is deleted.")


@router.post("/{key}/bins/look", name="bin_look")
def bin_look(desk: AtSetup, key: str, form: Form) -> HTMLResponse:
    """Shows which bins a pattern or a list would add."""
    try:
        found = foresee_bins(desk.workplace, key, _codes(form))
    except Refused as refused:
        return desk.fragment("setup/_bins_look.html", refusals=refused.refusals, found=None)
    return desk.fragment("setup/_bins_look.html", found=found, shown=SHOWN)


@router.post("/{key}/bins", name="bin_add")
def bin_add(desk: AtSetup, key: str, form: Form) -> Response:
    """Adds the bins of a pattern or a list."""
    try:
        added = add_bins(desk.workplace, desk.actor, key, _codes(form))
    except Refused as refused:
        return _show_page(desk, key, status=422, form=form, refused=refused)
    words = f"{len(added.new):,} bins are added"
    words += f", {len(added.reopened):,} opened again" if added.reopened else ""
    words += f", {len(added.there):,} were there already" if added.there else ""
    return desk.done(_at(key, "bins"), f"{words}.")


@router.post("/{key}/bins/change", name="bin_change")
def bin_change(desk: AtSetup, key: str, form: Form) -> Response:
    """Renames a bin, merges it into another, closes it, or opens it again."""
    code, to = form.get("code", ""), form.get("to", "").strip()
    try:
        words = _do(desk, key, form.get("deed", ""), code, to)
    except Refused as refused:
        return _show_page(desk, key, status=422, form=form, refused=refused)
    return desk.done(_at(key, "bins"), words)


def _do(desk: Desk, key: str, deed: str, code: str, to: str) -> str:
    workplace, actor = desk.workplace, desk.actor
    if deed == "rename":
        rename_bin(workplace, actor, key, code, to)
        return f"{code} is {to.upper()} now."
    if deed == "merge":
        units = merge_bins(workplace, actor, key, code, to)
        return f"{units:,} units lie in {to.upper()} now, and {code} is closed."
    if deed == "close":
        close_bin(workplace, actor, key, code)
        return f"{code} is closed."
    if deed == "open":
        add_bins(workplace, actor, key, [code])
        return f"{code} is open again."
    raise refuse("unknown", f"“{deed[:20]}” is nothing that can be done to a bin.", "", "deed")


def _codes(form: PostedForm) -> list[str]:
    pattern, listed = form.get("pattern", "").strip(), form.get("codes", "").strip()
    if files := form.files("file"):
        return codes_of_table(small_table(files[0].file.read(MOST_BYTES)))
    if bool(pattern) == bool(listed):
        raise refuse(
            "missing",
            "Type a pattern or a list of codes, or choose a file.",
            "One of the three.",
            "pattern",
        )
    return written_out(pattern) if pattern else read_codes(listed)


def _at(key: str, place: str = "") -> str:
    return f"/setup/warehouses/{quote(key)}" + (f"#{place}" if place else "")
