"""Orders: the list, an order's own page, and deeds on one or many."""

from collections import Counter
from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.trays import TRAY_NAMES, Tray
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.link import link_lines
from relvan.services.orders.release import release_orders, release_parts
from relvan.services.orders.reserve import reserve_anywhere, reserve_orders, unreserve_orders
from relvan.services.orders.short import short_of
from relvan.store.channels import channel_by_id, channel_names
from relvan.store.history import history
from relvan.store.orders import (
    FACTS,
    OrderFilter,
    count_orders,
    lines_of,
    money_in_trays,
    order_by_number,
    order_page,
    reservations_of,
    shipment_rows,
    tellings_of,
)
from relvan.store.stock import warehouses
from relvan.store.tables import Order
from relvan.web.desk import At, Desk, Form
from relvan.web.sentence import Chip, Choice, Sentence, read_sentence

router = APIRouter(prefix="/orders")
PAGE = 50
COLUMNS = (
    ("placed", "Placed"),
    ("channel", "Channel"),
    ("customer", "Customer"),
    ("country", "To"),
    ("units", "Units"),
    ("total", "Total"),
    ("tray", "Tray"),
    ("open", "Open"),
)
SHOWN_FIRST = tuple(key for key, _ in COLUMNS)


def _sentence(desk: Desk, query: Mapping[str, str]) -> Sentence:
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
    chips = (
        Chip("tray", "Tray", tuple(Choice(tray, f"in {name}") for tray, name in TRAY_NAMES.items())),
        Chip(
            "channel",
            "Channel",
            (*(Choice(key, f"from {name}") for key, name in named), Choice("none", "taken by hand")),
        ),
        Chip("fact", "Facts", tuple(Choice(fact, f"that are {fact}") for fact in FACTS)),
    )
    hint = "number, customer, tracking number"
    return read_sentence("Orders", "/orders", chips, query, hint=hint)


def _filter(sentence: Sentence) -> OrderFilter:
    chosen = sentence.chosen
    return OrderFilter(sentence.words, chosen.get("tray", ""), chosen.get("channel", ""), chosen.get("fact", ""))


@router.get("", name="order_index")
def order_index(desk: At, after: int = 0) -> HTMLResponse:
    """The list."""
    sentence = _sentence(desk, desk.request.query_params)
    wanted = _filter(sentence)
    with desk.workplace.database.reading() as session:
        rows = order_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_orders(session, wanted)
        money = money_in_trays(session)
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "money": {row.tray: row for row in money},
        "trays": TRAY_NAMES,
        "more": sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
    }
    return desk.page(
        "orders/index.html", "orders", count_view=lambda s, q: count_orders(s, _filter(_sentence(desk, q))), **values
    )


@router.get("/{number}", name="order_show")
def order_show(desk: At, number: str) -> HTMLResponse:
    """An order's own page."""
    with desk.workplace.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        held = reservations_of(session, [order.id])
        channel = channel_by_id(session, order.channel_id) if order.channel_id else None
        names = {warehouse.id: warehouse.name for warehouse in warehouses(session)}
        subject = f"order:{order.channel_number}"
        values: dict[str, Any] = {
            "order": order,
            "lines": [(line, [(names[r.warehouse_id], r.quantity) for r in held.get(line.id, [])]) for line in lines],
            "channel": channel,
            "short": short_of(session, order) if order.tray == Tray.SHORT else None,
            "shipments": shipment_rows(session, order_id=order.id),
            "history": history(session, "order", order.id, 100),
            "tellings": tellings_of(session, subject) if order.channel_number else [],
            "trays": {key: name for key, name in TRAY_NAMES.items() if key != Tray.CANCELLED},
        }
    return desk.page("orders/show.html", "orders", **values)


@router.post("/foresee/{deed}", name="order_foresee")
def order_foresee(desk: At, form: Form, deed: str) -> HTMLResponse:
    """What a deed would do to the ticked orders, before it is done."""
    with desk.workplace.database.reading() as session:
        found = [order_by_number(session, number) for number in form.all("pick")[:1000]]
    would = Counter(_would(deed, order) for order in found)
    ready = sum(number for words, number in would.items() if words.startswith("would"))
    return desk.fragment("orders/_foresee.html", deed=deed, would=would, ready=ready, count=len(found))


def _would(deed: str, order: Order) -> str:
    if order.cancelled_at:
        return "stay: cancelled"
    if order.fact_shipped == "all":
        return "stay: shipped already"
    if deed == "release":
        if order.fact_reserved != "all":
            return "stay: not reserved whole"
        unpaid = order.fact_paid != "all" and order.channel_id is not None
        return "stay: not paid" if unpaid else "would go to the warehouse"
    if deed == "reserve":
        return "stay: reserved already" if order.fact_reserved == "all" else "would be reserved, if there is enough"
    if deed == "unreserve":
        on_floor = order.fact_reserved == "none" or order.tray == "floor"
        return "stay: nothing to free" if on_floor else "would give their stock back"
    return "stay: picked in part" if order.fact_picked != "none" else "would be cancelled, for good"


@router.post("/do/{deed}", name="order_deed")
def order_deed(desk: At, form: Form, deed: str) -> Response:
    """Do something to the ticked orders."""
    numbers = form.all("pick")
    back = _back(form.get("back", ""))
    if deed == "move":
        tray = form.get("tray", "")
        return _move(desk, numbers, tray, back)
    service, words, undo = {
        "reserve": (reserve_orders, "Reserved", "/orders/do/unreserve"),
        "unreserve": (unreserve_orders, "Freed", "/orders/do/reserve"),
        "release": (release_orders, "Released", "/orders/do/take-back"),
        "take-back": (take_back_shipments, "Release taken back", "/orders/do/release"),
        "anywhere": (reserve_anywhere, "Reserved", "/orders/do/unreserve"),
        "part": (release_parts, "Released in part", "/orders/do/take-back"),
        "cancel": (cancel_orders, "Cancelled", ""),
    }.get(deed, (reserve_orders, "Reserved", ""))
    return desk.verdicts(back, service(desk.workplace, desk.actor, numbers), words, undo_path=undo)


def _move(desk: Desk, numbers: list[str], tray: str, back: str) -> Response:
    with desk.workplace.database.reading() as session:
        before = {order_by_number(session, number).tray for number in numbers[:1000]}
    verdicts = move_orders(desk.workplace, desk.actor, numbers, tray)
    undo = [("tray", before.pop())] if len(before) == 1 else []
    fields = [*undo, *(("pick", verdict.subject) for verdict in verdicts if verdict.ok)]
    words = f"Moved to {TRAY_NAMES[Tray(tray)]}: {sum(verdict.ok for verdict in verdicts)} of {len(verdicts)}."
    return desk.done(back, words, undo_path="/orders/do/move" if undo else "", undo_fields=fields)


def _back(path: str) -> str:
    return path if path.startswith("/orders") else "/orders"


@router.post("/{number}/link", name="order_link")
def order_link(desk: At, form: Form, number: str) -> Response:
    """Say which product an unknown line means; all lines like it are repaired."""
    numbers = link_lines(desk.workplace, desk.actor, form.get("line_sku", ""), form.get("sku", "").strip())
    return desk.done(f"/orders/{number}", f"Linked in {len(numbers)} {'order' if len(numbers) == 1 else 'orders'}.")
