"""Serves the further pages of stock: ledger, bins, what is to come, counting, and the outlook."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refusal, Refused, refuse
from relvan.core.stock.movements import Reason
from relvan.services.stock.coming import (
    ExpectReceipt,
    SendTransfer,
    end_expected,
    end_transfer,
    expect_receipt,
    receive_expected,
    receive_transfer,
    send_transfer,
)
from relvan.services.stock.count import CountedLine, count_bin
from relvan.services.stock.outlook import stock_outlook
from relvan.store.coming import expected_rows, transfer_rows
from relvan.store.ledger import LedgerFilter, bins_page, ledger_page
from relvan.store.stock import bins_of, find_bin, warehouse_by_key, warehouses
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader
from relvan.web.sentence import Chip, Choice, ListKind, read_sentence

router = APIRouter(prefix="/stockroom")
PAGE = 100
DAYS = {"day": 1, "week": 7, "month": 30, "quarter": 90}


def _places(desk: Desk) -> list[tuple[str, str]]:
    with desk.workplace.database.reading() as session:
        return [(warehouse.key, warehouse.name) for warehouse in warehouses(session)]


def _first(places: Sequence[tuple[str, str]]) -> str:
    """Returns the key of the first warehouse."""
    if not places:
        raise refuse(
            "missing", "There is no warehouse yet.", "Create one in Setup first.", "warehouse"
        )
    return places[0][0]


@router.get("/ledger", name="ledger_index")
def ledger_index(desk: At, before: int | None = None) -> HTMLResponse:
    """Shows every movement, with filters."""
    chips = (
        Chip("reason", "Reason", tuple(Choice(one.value, f"by {one.value}") for one in Reason)),
        Chip(
            "warehouse",
            "Warehouse",
            tuple(Choice(key, f"in {name}") for key, name in _places(desk)),
        ),
        Chip("since", "Since", tuple(Choice(key, f"of the last {key}") for key in DAYS)),
    )
    sentence = read_sentence(
        ListKind("Movements", "/stockroom/ledger", hint="SKU or title"),
        chips,
        desk.request.query_params,
    )
    days = DAYS.get(sentence.chosen.get("since", ""))
    wanted = LedgerFilter(
        sentence.words,
        sentence.chosen.get("reason", ""),
        sentence.chosen.get("warehouse", ""),
        desk.workplace.now() - timedelta(days=days) if days else None,
    )
    with desk.workplace.database.reading() as session:
        rows = ledger_page(session, wanted, before=before, limit=PAGE + 1)
    more = sentence.url(before=str(rows[PAGE - 1].id)) if len(rows) > PAGE else ""
    return desk.page(
        "stockroom/ledger.html",
        "stock",
        sentence=sentence,
        movements=rows[:PAGE],
        more=more,
        rows=rows[:PAGE],
        first=sentence.url() if before else "",
        total=f"{len(rows[:PAGE])}{'+' if more else ''}",
    )


@router.get("/bins", name="bin_index")
def bin_index(
    desk: At, warehouse: str = "", bin: str = "", walk: int = 0, after: str = ""
) -> HTMLResponse:
    """Shows what lies in which bin, in the order of the way through a warehouse."""
    places = _places(desk)
    if not places:
        return desk.page("stockroom/no_warehouse.html", "stock", room="bins")
    with desk.workplace.database.reading() as session:
        here = warehouse_by_key(session, warehouse or _first(places))
        rows = bins_page(
            session, here.id, code=bin, after=(walk, after) if after else None, limit=PAGE + 1
        )
    last = rows[PAGE - 1] if len(rows) > PAGE else None
    more = (
        f"/stockroom/bins?warehouse={here.key}&walk={last.walk}&after={last.sku.casefold()}"
        if last
        else ""
    )
    return desk.page(
        "stockroom/bins.html",
        "stock",
        places=places,
        here=here,
        rows=rows[:PAGE],
        more=more,
        code=bin,
        first=f"/stockroom/bins?warehouse={here.key}" if after else "",
    )


def _coming(
    desk: Desk,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        values: dict[str, Any] = {
            "expected": expected_rows(session),
            "transfers": transfer_rows(session),
            "places": [(warehouse.key, warehouse.name) for warehouse in warehouses(session)],
            "today": desk.workplace.now().date().isoformat(),
            "key": desk.workplace.new_key(),
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
    return desk.page("stockroom/coming.html", "stock", status=status, **values)


@router.get("/coming", name="coming_index")
def coming_index(desk: At) -> HTMLResponse:
    """Shows expected receipts, and transfers in transit."""
    return _coming(desk)


@router.post("/coming/{deed}", name="coming_deed")
def coming_deed(desk: At, form: Form, deed: str) -> Response:
    """Creates an expected receipt or a transfer, records what arrived of one, or closes it."""
    try:
        words = _COMING.get(deed, _unknown)(desk, form)
    except Refused as refused:
        return _coming(desk, status=422, typed=dict(form), refused=refused)
    return desk.done("/stockroom/coming", words)


def _unknown(desk: Desk, form: PostedForm) -> str:
    raise Refused(Refusal("unknown", "There is no such deed.", "Load the page again.", ""))


def _expect(desk: Desk, form: PostedForm) -> str:
    read = FormReader(form)
    units = read.needed_whole("quantity", "Units")
    try:
        due = date.fromisoformat(read.text("due"))
    except ValueError:
        due = desk.workplace.now().date()
        read.refusals.append(
            Refusal("form", "“Due” must be a day.", "Type it like 2026-11-30.", "due")
        )
    read.raise_if_refused()
    wish = ExpectReceipt(
        read.text("sku"), read.text("warehouse"), units, due, read.text("note"), read.text("key")
    )
    expect_receipt(desk.workplace, desk.actor, wish)
    return f"{units} of {wish.sku} are expected."


def _send(desk: Desk, form: PostedForm) -> str:
    read = FormReader(form)
    units = read.needed_whole("quantity", "Units")
    read.raise_if_refused()
    wish = SendTransfer(
        read.text("sku"),
        read.text("source"),
        read.text("target"),
        units,
        read.text("bin"),
        read.text("note"),
        read.text("key"),
    )
    send_transfer(desk.workplace, desk.actor, wish)
    return f"{units} of {wish.sku} are in transit."


def _receive(desk: Desk, form: PostedForm) -> str:
    read = FormReader(form)
    units, which = read.needed_whole("units", "Units"), read.needed_whole("id", "Number")
    read.raise_if_refused()
    receive = receive_transfer if form.get("kind") == "transfer" else receive_expected
    left = receive(
        desk.workplace,
        desk.actor,
        which,
        units,
        shelf=read.text("bin"),
        key=read.text("key") or None,
    )
    return f"{units} received" + (f", {left} still to come." if left else "; that is all.")


def _end(desk: Desk, form: PostedForm) -> str:
    read = FormReader(form)
    which = read.needed_whole("id", "Number")
    read.raise_if_refused()
    if form.get("kind") == "transfer":
        lost = end_transfer(desk.workplace, desk.actor, which)
        return (
            f"The transfer is at an end; {lost} did not arrive."
            if lost
            else "The transfer is at an end."
        )
    end_expected(desk.workplace, desk.actor, which)
    return "No more is expected of it."


_COMING = {"expect": _expect, "send": _send, "receive": _receive, "end": _end}


def _count_page(
    desk: Desk,
    warehouse: str,
    code: str,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    places = _places(desk)
    if not places:
        return desk.page("stockroom/no_warehouse.html", "stock", room="count")
    with desk.workplace.database.reading() as session:
        here = warehouse_by_key(session, warehouse or _first(places))
        shelf = find_bin(session, here.id, code) if code else None
        values: dict[str, Any] = {
            "places": places,
            "here": here,
            "shelf": shelf,
            "bins": [one.code for one in bins_of(session, here.id)],
            "rows": bins_page(session, here.id, code=shelf.code, limit=400) if shelf else [],
            "key": desk.workplace.new_key(),
            "typed": typed or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
        }
    return desk.page("stockroom/count.html", "stock", status=status, **values)


@router.get("/count", name="count_show")
def count_show(desk: At, warehouse: str = "", bin: str = "") -> HTMLResponse:
    """Shows the form in which one bin is counted, by hand or with a scanner."""
    try:
        return _count_page(desk, warehouse, bin.strip())
    except Refused as refused:
        return _count_page(desk, warehouse, "", status=422, typed={"bin": bin}, refused=refused)


@router.post("/count", name="count_save")
def count_save(desk: At, form: Form) -> Response:
    """Records what was counted in a bin, all of it or nothing."""
    warehouse, code = form.get("warehouse", ""), form.get("bin", "")
    read = FormReader(form)
    lines = []
    for sku, typed in zip(form.all("sku"), form.all("counted"), strict=False):
        if sku.strip() and typed.strip():
            units = FormReader({"counted": typed})
            number = units.whole("counted", f"Counted of {sku.strip()}")
            read.refusals += units.refusals
            lines.append(CountedLine(sku.strip(), number or 0))
    try:
        read.raise_if_refused()
        changed = count_bin(
            desk.workplace, desk.actor, warehouse, code, lines, request_key=form.get("key", "")[:60]
        )
    except Refused as refused:
        return _count_page(desk, warehouse, code, status=422, typed=dict(form), refused=refused)
    words = f"{code}: {len(lines)} counted, {changed} {'differs' if changed == 1 else 'differ'}."
    return desk.done(f"/stockroom/count?warehouse={warehouse}", words)


@router.get("/outlook", name="outlook_show")
def outlook_show(desk: At) -> HTMLResponse:
    """Shows what runs out when, what has not moved, and what the stock is worth."""
    with desk.workplace.database.reading() as session:
        found = stock_outlook(session, desk.workplace)
    return desk.page("stockroom/outlook.html", "stock", found=found, now=desk.workplace.now())
