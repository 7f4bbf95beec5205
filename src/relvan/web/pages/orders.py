"""Serves the pages of orders: the list, an order's own page, and actions on one or many."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import Any
from urllib.parse import parse_qsl

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.deeds import DeedAnswer, OrderDeed, deeds_of, read_deed
from relvan.core.orders.facts import Extent, order_facts
from relvan.core.orders.flow import OrderFlow, flow_of
from relvan.core.orders.trays import TRAY_NAMES, Tray
from relvan.core.refusal import refuse
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.foresee import foresee_orders, in_short
from relvan.services.orders.link import link_lines
from relvan.services.orders.release import release_orders, release_parts
from relvan.services.orders.reserve import reserve_anywhere, reserve_orders, unreserve_orders
from relvan.services.orders.short import short_of
from relvan.services.verdicts import Verdict
from relvan.store.channels import channel_by_id, channel_names
from relvan.store.counting import count_with_page
from relvan.store.dispatch import parcel_rows
from relvan.store.history import history
from relvan.store.order_list import (
    PROGRESS,
    SORTING,
    OrderFilter,
    count_orders,
    order_numbers,
    order_page,
)
from relvan.store.order_standing import standings_of
from relvan.store.orders import (
    line_facts,
    lines_of,
    order_by_number,
    orders_by_numbers,
    reservations_of,
    shipment_rows,
    tellings_of_order,
)
from relvan.store.stock import warehouses
from relvan.store.tables import Order, OrderLine, Reservation
from relvan.store.today import held_in_trays
from relvan.web.addresses import address_of
from relvan.web.desk import At, Desk, Form, PostedForm
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

router = APIRouter(prefix="/orders")
PAGE = 50
MOST_AT_ONCE = 1_000
# the words and the style of a deed's button
BUTTONS = {
    OrderDeed.RELEASE: ("Release", "btn-do"),
    OrderDeed.RESERVE: ("Reserve", "btn-line"),
    OrderDeed.TAKE_BACK: ("Undo release", "btn-line"),
    OrderDeed.UNRESERVE: ("Free stock", "btn-line"),
    OrderDeed.RESERVE_ANYWHERE: ("Take it from another warehouse", "btn-line"),
    OrderDeed.RELEASE_PART: ("Send what is there", "btn-line"),
    OrderDeed.CANCEL: ("Cancel", "btn-stop"),
    OrderDeed.MOVE: ("Move to", "btn-line"),
}
# how far each progress may be asked for, and how the sentence says it
PROGRESS_CHOICES = {
    name: (
        Choice("none", f"not {name} at all"),
        Choice("part", f"{name} in part"),
        Choice("all", f"{name} in full"),
        Choice("open", f"not {name} in full"),
    )
    for name in PROGRESS
}
LIST_DEEDS = (
    OrderDeed.RELEASE,
    OrderDeed.RESERVE,
    OrderDeed.UNRESERVE,
    OrderDeed.TAKE_BACK,
    OrderDeed.CANCEL,
)
# what carries a deed out, how that is told afterwards, and the deed that takes it back
DEEDS: dict[OrderDeed, tuple[Callable[..., list[Verdict]], str, OrderDeed | None]] = {
    OrderDeed.RELEASE: (release_orders, "Released", OrderDeed.TAKE_BACK),
    OrderDeed.RESERVE: (reserve_orders, "Reserved", OrderDeed.UNRESERVE),
    OrderDeed.TAKE_BACK: (take_back_shipments, "Release undone", OrderDeed.RELEASE),
    OrderDeed.UNRESERVE: (unreserve_orders, "Freed", OrderDeed.RESERVE),
    OrderDeed.CANCEL: (cancel_orders, "Cancelled", None),
    OrderDeed.RESERVE_ANYWHERE: (reserve_anywhere, "Reserved", OrderDeed.UNRESERVE),
    OrderDeed.RELEASE_PART: (release_parts, "Released in part", OrderDeed.TAKE_BACK),
}
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


def _orders_sentence(desk: Desk, query: Mapping[str, str], *, strict: bool = False) -> Sentence:
    with desk.workplace.database.reading() as session:
        named = channel_names(session, ended=True)
    chips = (
        Chip(
            "tray", "Tray", tuple(Choice(tray, f"in {name}") for tray, name in TRAY_NAMES.items())
        ),
        Chip(
            "channel",
            "Channel",
            (
                *(Choice(key, f"from {name}") for key, name in named),
                Choice("none", "taken by hand"),
            ),
        ),
        *(Chip(name, name.capitalize(), choices) for name, choices in PROGRESS_CHOICES.items()),
    )
    hint = "number, customer, tracking number"
    return read_sentence(
        ListKind("Orders", "/orders", hint=hint, sorts=SORTING.names()),
        chips,
        _in_todays_words(query),
        strict=strict,
    )


def _in_todays_words(query: Mapping[str, str]) -> Mapping[str, str]:
    """Returns the query of a view that was saved earlier in the names of today: progress was named
    `fact`.
    """
    name = query.get("fact", "")
    if not name:
        return query
    part = name.removeprefix("not ")
    others = {key: value for key, value in query.items() if key != "fact"}
    return {**others, part: "open" if name.startswith("not ") else "all"}


def _orders_filter(sentence: Sentence) -> OrderFilter:
    chosen = sentence.chosen
    progress = {name: chosen.get(name, "") for name in PROGRESS_CHOICES}
    return OrderFilter(
        sentence.words, chosen.get("tray", ""), chosen.get("channel", ""), **progress
    )


@router.get("", name="order_index")
def order_index(desk: At, after: int = 0) -> HTMLResponse:
    """Shows the list."""
    sentence = _orders_sentence(desk, desk.request.query_params)
    wanted = _orders_filter(sentence)
    with desk.workplace.database.reading() as session:
        rows = order_page(session, wanted, after=after, limit=PAGE + 1, sort=sentence.sort)
        total = count_with_page(rows, PAGE, after, lambda: count_orders(session, wanted))
        money = held_in_trays(session)
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "money": money,
        "trays": TRAY_NAMES,
        "list_deeds": [(deed, *BUTTONS[deed]) for deed in LIST_DEEDS],
        "more": sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
        "sorts": SORTING.names(),
    }
    return desk.page(
        "orders/index.html",
        "orders",
        count_view=lambda s, q: count_orders(s, _orders_filter(_orders_sentence(desk, q))),
        **values,
    )


def chosen_orders(desk: Desk, form: PostedForm) -> list[str]:
    """Returns the numbers ticked; or those of all orders that the sentence of the page matches when
    `all` is ticked, the oldest first.
    """
    if not form.get("all"):
        return list(dict.fromkeys(form.all("pick")))
    wanted = _orders_filter(
        _orders_sentence(desk, dict(parse_qsl(form.get("query", ""))), strict=True)
    )
    with desk.workplace.database.reading() as session:
        numbers = order_numbers(session, wanted, MOST_AT_ONCE + 1)
    if len(numbers) > MOST_AT_ONCE:
        message = f"More than {MOST_AT_ONCE:,} orders match, which is more than one deed takes."
        raise refuse("too-many", message, "Narrow the list down, and do it in parts.", "pick")
    return numbers


@router.get("/{number}", name="order_show")
def order_show(desk: At, number: str) -> HTMLResponse:
    """Shows an order's own page."""
    with desk.workplace.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        held = reservations_of(session, [order.id])
        channel = channel_by_id(session, order.channel_id) if order.channel_id else None
        names = {warehouse.id: warehouse.name for warehouse in warehouses(session)}
        parcels = parcel_rows(session, order.id)
        values: dict[str, Any] = {
            "order": order,
            "lines": [
                (line, [(names[r.warehouse_id], r.quantity) for r in held.get(line.id, [])])
                for line in lines
            ],
            "flow": _flow(order, lines, held),
            "channel": channel,
            "short": short_of(session, order) if _is_short(order) else None,
            "shipments": shipment_rows(session, order_id=order.id),
            "parcels": parcels,
            "deeds": _deeds(deeds_of(standings_of(session, [order])[order.id])),
            "history": history(session, "order", order.id, 100),
            "tellings": tellings_of_order(session, order, [parcel.id for parcel in parcels]),
            "trays": {
                key: name
                for key, name in TRAY_NAMES.items()
                if key not in (Tray.CANCELLED, order.tray)
            },
        }
    return desk.page("orders/show.html", "orders", **values)


def _is_short(order: Order) -> bool:
    return order.cancelled_at is None and Extent.ALL not in (
        order.fact_reserved,
        order.fact_shipped,
    )


def _flow(
    order: Order, lines: Sequence[OrderLine], held: Mapping[int, Sequence[Reservation]]
) -> OrderFlow:
    progress = order_facts(
        [line_facts(line, held.get(line.id, ())) for line in lines],
        paid=order.paid,
        total=order.total,
    )
    goods = (
        ("ordered", progress.units),
        ("reserved", progress.units_reserved),
        ("picked", progress.units_picked),
        ("shipped", progress.units_shipped),
    )
    invoiced = order.total if order.fact_invoiced == Extent.ALL else 0
    return flow_of(goods, (("total", order.total), ("invoiced", invoiced), ("paid", order.paid)))


def _deeds(answers: Mapping[OrderDeed, DeedAnswer]) -> list[tuple[OrderDeed, str, str, DeedAnswer]]:
    """Returns (action, words of its button, its style, what it would do) of the actions that have a
    button on an order's page.
    """
    return [(deed, words, style, answers[deed]) for deed, (words, style) in BUTTONS.items()]


@router.post("/foresee/{deed}", name="order_foresee")
def order_foresee(desk: At, form: Form, deed: str) -> HTMLResponse:
    """Shows what an action would do to the chosen orders."""
    wanted = read_deed(deed)
    foreseen = foresee_orders(desk.workplace, wanted, chosen_orders(desk, form))
    would = Counter(in_short(wanted, one.answer) for one in foreseen)
    ready = sum(one.answer.does for one in foreseen)
    return desk.fragment(
        "orders/_foresee.html",
        deed=wanted,
        would=would,
        ready=ready,
        count=len(foreseen),
        words=BUTTONS[wanted][0],
    )


@router.post("/do/{deed}", name="order_deed")
def order_deed(desk: At, form: Form, deed: str) -> Response:
    """Carries out an action on the chosen orders."""
    wanted = read_deed(deed)
    numbers = chosen_orders(desk, form)
    back = _back(form.get("back", ""))
    if wanted == OrderDeed.MOVE:
        return _move(desk, numbers, form.get("tray", ""), back)
    service, words, undo = DEEDS[wanted]
    undo_path = address_of("order_deed", deed=undo) if undo else ""
    return desk.verdicts(
        back, service(desk.workplace, desk.actor, numbers), words, undo_path=undo_path
    )


def _move(desk: Desk, numbers: list[str], tray: str, back: str) -> Response:
    with desk.workplace.database.reading() as session:
        before = {order.tray for order in orders_by_numbers(session, numbers)}
    verdicts = move_orders(desk.workplace, desk.actor, numbers, tray)
    undo = [("tray", before.pop())] if len(before) == 1 else []
    fields = [*undo, *(("pick", verdict.subject) for verdict in verdicts if verdict.ok)]
    words = f"Moved to {TRAY_NAMES[Tray(tray)]}: {sum(verdict.ok for verdict in verdicts)} of {len(verdicts)}."
    return desk.done(back, words, undo_path="/orders/do/move" if undo else "", undo_fields=fields)


def _back(path: str) -> str:
    return path if path.startswith("/orders") else "/orders"


@router.post("/{number}/link", name="order_link")
def order_link(desk: At, form: Form, number: str) -> Response:
    """Links an unknown line to a product; all lines with the same code are linked too."""
    numbers = link_lines(
        desk.workplace, desk.actor, form.get("line_sku", ""), form.get("sku", "").strip()
    )
    return desk.done(
        f"/orders/{number}",
        f"Linked in {len(numbers)} {'order' if len(numbers) == 1 else 'orders'}.",
    )
