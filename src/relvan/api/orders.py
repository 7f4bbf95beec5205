"""Serves orders over HTTP."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import Depends, Query

from relvan.api.customers import estimate_shape
from relvan.api.described import Id
from relvan.api.desk import (
    By,
    Caller,
    Cursor,
    DayOrNone,
    Limit,
    MomentOrNone,
    OneOf,
    SomeOf,
    YesOrNo,
    api_router,
    page_of,
    several,
)
from relvan.api.order_shapes import answer_shape, order_shape
from relvan.api.shapes import (
    AddressShape,
    Amount,
    NewOrder,
    OrderChange,
    OrderNumbers,
    Shape,
    amount_of,
    minor,
    verdicts_of,
)
from relvan.core.orders.by_hand import OrderKind
from relvan.core.orders.deeds import read_deed
from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.services.orders.aside import take_back_aside
from relvan.services.orders.by_hand import enter_order
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.estimates import enter_estimate
from relvan.services.orders.foresee import foresee_orders
from relvan.services.orders.link import link_line
from relvan.services.orders.readdress import change_address
from relvan.services.orders.release import release_orders, release_parts
from relvan.services.orders.reserve import reserve_anywhere, reserve_orders, unreserve_orders
from relvan.services.verdicts import Verdict, refuse_with
from relvan.services.workplace import Actor, Workplace
from relvan.store.order_filter import PROGRESS, OrderFilter
from relvan.store.order_list import order_page

router = api_router(tags=["orders"])


Reached = Annotated[str, SomeOf("progress", ("none", "part", "all", "open"))]


def progress_asked(
    reserved: Reached = "",
    picked: Reached = "",
    shipped: Reached = "",
    invoiced: Reached = "",
    paid: Reached = "",
) -> OrderFilter:
    """Returns the progress that orders must have; `open` means none or part."""
    return OrderFilter(
        reserved=several(reserved),
        picked=several(picked),
        shipped=several(shipped),
        invoiced=several(invoiced),
        paid=several(paid),
    )


Progress = Annotated[OrderFilter, Depends(progress_asked)]
SomeTexts = Annotated[str, Query(max_length=500)]


def pressing_asked(
    promised_by: DayOrNone = None, unknown_line: YesOrNo = None, noticed: YesOrNo = None
) -> OrderFilter:
    """Returns what presses: by when orders were promised, whether they have a line whose product is
    unknown, and whether they have something that the team must look at."""
    return OrderFilter(promised_by=promised_by, unknown=unknown_line, noticed=noticed)


Pressing = Annotated[OrderFilter, Depends(pressing_asked)]


def noted_asked(
    pressing: Pressing,
    tag: SomeTexts = "",
    country: SomeTexts = "",
    waiting_since: MomentOrNone = None,
    set_aside: YesOrNo = None,
) -> OrderFilter:
    """Returns what is noted of orders: their tags, where they go, before when they came into their
    trays, and whether they are set aside."""
    aside = "" if set_aside is None else "yes" if set_aside else "no"
    return replace(
        pressing,
        tag=several(tag),
        country=several(country.upper()),
        since=waiting_since,
        aside=aside,
    )


Noted = Annotated[OrderFilter, Depends(noted_asked)]


def orders_asked(
    progress: Progress,
    noted: Noted,
    q: str = "",
    tray: SomeTexts = "",
    channel: SomeTexts = "",
    channel_number: str = "",
) -> OrderFilter:
    """Returns the filter that the query of `GET /orders` describes."""
    reached = {name: getattr(progress, name) for name in PROGRESS}
    return replace(
        noted,
        words=channel_number or q,
        tray=several(tray),
        channel=several(channel),
        **reached,
    )


Asked = Annotated[OrderFilter, Depends(orders_asked)]


@router.get("/orders")
def list_orders(by: By, wanted: Asked, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns orders, the newest first. Of a filter several values may be given with commas
    between, of which one is enough."""
    for key in wanted.tray:
        OneOf("tray", tuple(by.workplace.tray_names())).check(key)
    with by.workplace.database.reading() as session:
        rows, following = page_of(
            order_page(session, wanted, after=after, limit=limit + 1), limit, lambda row: row.id
        )
    items = [
        {
            "number": row.number,
            "channel": row.channel_key,
            "channel_number": row.channel_number,
            "tray": row.tray,
            "progress": {name: getattr(row, name) for name in PROGRESS},
            "open": row.words,
            "customer": row.customer,
            "country": row.country,
            "units": row.units,
            "total": amount_of(row.total, row.currency),
            "placed_at": row.placed_at.isoformat(),
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.post("/orders", status_code=201)
def post_order(by: By, wish: NewOrder) -> dict[str, Any]:
    """Creates an order or an estimate by hand; stock is reserved at once where there is enough. The
    answer has what was warned of; with `strict`, a warning without a reason refuses the order."""
    draft = _draft_of(by, wish)
    if draft.kind == OrderKind.ESTIMATE:
        made = enter_estimate(by.workplace, by.actor, draft, strict=wish.strict)
        answer = estimate_shape(by, made.number)
    else:
        made = enter_order(by.workplace, by.actor, draft, paid=wish.paid, strict=wish.strict)
        answer = order_shape(by, made.number)
    warnings = [
        {"code": one.code, "line": one.line, "message": one.message} for one in made.warnings
    ]
    return {**answer, "warnings": warnings}


def _draft_of(by: Caller, wish: NewOrder) -> OrderDraft:
    """Returns a wish as a draft; amounts must be in the order's currency."""
    by.actor.must(Right.ORDERS)
    currency = wish.currency or by.workplace.firm.currency

    def cents(amount: Amount | None, name: str) -> int:
        return minor(amount, currency, name) if amount else 0

    lines = []
    for line in wish.lines:
        price = line.unit_price or line.price
        lines.append(
            DraftLine(
                line.sku,
                line.quantity,
                line.title,
                minor(price, currency, "price") if price else None,
                cents(line.discount, "discount"),
            )
        )
    return OrderDraft(
        customer=wish.customer,
        mail=wish.mail,
        ship_to=Address(**wish.ship_to.model_dump()),
        lines=tuple(lines),
        kind=OrderKind(wish.kind),
        currency=currency,
        prices_with_tax=wish.prices != "without tax",
        discount=cents(wish.discount, "discount"),
        delivery=cents(wish.delivery, "delivery"),
        promised=wish.promised,
        reference=wish.reference,
        salesperson=wish.salesperson,
        warehouse=wish.warehouse,
        last_day=wish.last_day,
        overridden={one.code: one.reason for one in wish.override},
    )


@router.get("/orders/{number}")
def get_order(by: By, number: str) -> dict[str, Any]:
    """Returns one order."""
    return order_shape(by, number)


@router.patch("/orders/{number}")
def patch_order(by: By, number: str, change: OrderChange) -> dict[str, Any]:
    """Moves an order into another tray."""
    if change.tray is not None:
        verdict = move_orders(by.workplace, by.actor, [number], change.tray)[0]
        refuse_with(verdict)
    return order_shape(by, number)


BulkDeed = Callable[[Workplace, Actor, Sequence[str]], list[Verdict]]
# what can be done to many orders at once -> the deed, and what the API says of it
BULK: dict[str, tuple[BulkDeed, str]] = {
    "reserve": (reserve_orders, "Promise stock; a verdict per order."),
    "reserve-anywhere": (
        reserve_anywhere,
        "Promise stock, from warehouses that do not feed the channel too; a verdict per order.",
    ),
    "release-part": (
        release_parts,
        "Let go what there is of orders; the rest waits for stock. A verdict per order.",
    ),
    "unreserve": (unreserve_orders, "Free stock; a verdict per order."),
    "release": (
        release_orders,
        "Let orders go to the warehouse, each as a shipment; a verdict per order, naming the shipments.",
    ),
    "take-back": (
        take_back_shipments,
        "Undo the release of orders that nobody has picked; a verdict per order.",
    ),
    "cancel": (cancel_orders, "Cancel orders; a verdict per order."),
    "bring-back": (take_back_aside, "Bring back what was set aside; a verdict per order."),
}


def _offer(name: str, deed: BulkDeed, words: str) -> None:
    @router.post(f"/orders/{name}", name=f"post_{name.replace('-', '_')}", description=words)
    def post_deed(by: By, wish: OrderNumbers) -> dict[str, Any]:
        return verdicts_of(deed(by.workplace, by.actor, wish.numbers))


for _name, (_deed, _words) in BULK.items():
    _offer(_name, _deed, _words)


@router.post("/orders/foresee/{deed}")
def post_orders_foresee(by: By, deed: str, wish: OrderNumbers) -> dict[str, Any]:
    """Says what an action would do to each order, and changes nothing."""
    foreseen = foresee_orders(by.workplace, read_deed(deed), wish.numbers)
    return {"items": [{"number": one.number, **answer_shape(one.answer)} for one in foreseen]}


@router.post("/orders/{number}/address")
def post_address(by: By, number: str, wish: AddressShape) -> dict[str, Any]:
    """Sends an order to another address in the same country, until something of it is picked; tells
    in `warnings` what is not as it is written there. The customer's addresses stay as they are."""
    warnings = change_address(by.workplace, by.actor, number, Address(**wish.model_dump()))
    return {**order_shape(by, number), "warnings": warnings}


class LinkedLine(Shape):
    """The product that an unknown line means."""

    sku: str


@router.post("/orders/{number}/lines/{line}/link")
def post_line_link(by: By, number: str, line: Id, wish: LinkedLine) -> dict[str, Any]:
    """Says which product an unknown line means, by the line's position; all lines like it and the
    listing are linked too."""
    repaired = link_line(by.workplace, by.actor, number, line, wish.sku)
    return {**order_shape(by, number), "repaired": repaired}
