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
from relvan.core.orders.deeds import DeedAnswer, deeds_of, read_deed
from relvan.core.orders.draft import DraftLine, OrderDraft
from relvan.core.orders.intake import Address
from relvan.core.people.roles import Right
from relvan.services.orders.aside import take_back_aside
from relvan.services.orders.by_hand import enter_order
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.estimates import enter_estimate
from relvan.services.orders.foresee import foresee_orders
from relvan.services.orders.link import link_line
from relvan.services.orders.payments import owed_by
from relvan.services.orders.readdress import change_address
from relvan.services.orders.release import release_orders, release_parts
from relvan.services.orders.reserve import reserve_anywhere, reserve_orders, unreserve_orders
from relvan.services.verdicts import Verdict, refuse_with
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_id
from relvan.store.customers import customer_by_id
from relvan.store.dispatch import ParcelRow, parcel_rows
from relvan.store.invoices import invoices_of_order
from relvan.store.order_list import PROGRESS, OrderFilter, order_page
from relvan.store.order_standing import standings_of
from relvan.store.orders import (
    ShipmentRow,
    lines_of,
    order_by_number,
    reservations_of,
    shipment_rows,
)
from relvan.store.people import person_by_id
from relvan.store.tables import Order, OrderLine, Reservation
from relvan.store.trays import notices_of, tags_of

router = api_router(tags=["orders"])


def _order_shape(by: Caller, number: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        order = order_by_number(session, number)
        channel = channel_by_id(session, order.channel_id) if order.channel_id else None
        lines = lines_of(session, [order.id])[order.id]
        held = reservations_of(session, [order.id])
        shipments = shipment_rows(session, order_id=order.id)
        parcels = parcel_rows(session, order.id)
        deeds = deeds_of(standings_of(session, [order])[order.id])
        tags = tags_of(session, [order.id])[order.id]
        invoices = invoices_of_order(session, order.id)
        customer = customer_by_id(session, order.customer_id) if order.customer_id else None
        notices = [notice.words for notice in notices_of(session, order.id)]
        assigned = person_by_id(session, order.assigned_id) if order.assigned_id else None
    return {
        "number": order.number,
        "channel": channel.key if channel else None,
        "channel_number": order.channel_number,
        "tray": order.tray,
        "tray_since": order.tray_since.isoformat() if order.tray_since else None,
        "set_aside": {"until": order.aside_until, "reason": order.aside_reason}
        if order.aside_until
        else None,
        "tags": tags,
        "assigned": assigned.login if assigned else None,
        "notices": notices,
        "progress": _progress(order),
        "facts": _progress(order),  # the name of version 0.1, kept for one version
        "deeds": {deed: _answer(answer) for deed, answer in deeds.items()},
        "open": order.words,
        "customer": {
            "number": customer.number if customer else None,
            "name": order.customer,
            "mail": Address.read(order.ship_to).mail,
        },
        "reference": order.reference,
        "promised": order.promised_on,
        "prices": "with tax" if order.with_tax else "without tax",
        "overridden": order.overridden,
        "ship_to": Address.read(order.ship_to).as_dict(),
        "lines": [_order_line(order, line, held.get(line.id, [])) for line in lines],
        "invoices": [row.number for row in invoices],
        "owed": amount_of(owed_by(order), order.currency),
        "totals": {
            "delivery": amount_of(order.delivery_price, order.currency),
            "total": amount_of(order.total, order.currency),
            "paid": amount_of(order.paid, order.currency),
        },
        "shipments": [_shipment(row, parcels) for row in shipments],
        "placed_at": order.placed_at.isoformat(),
        "cancelled": order.cancelled_at is not None,
    }


def _shipment(row: ShipmentRow, parcels: Sequence[ParcelRow]) -> dict[str, Any]:
    """Returns a shipment of an order with those of these parcels that belong to it."""
    return {
        "id": row.id,
        "number": row.number,
        "warehouse": row.warehouse_key,
        "state": row.state,
        "parcels": [
            {
                "id": parcel.id,
                "carrier": parcel.carrier,
                "tracking_number": parcel.tracking_number,
            }
            for parcel in parcels
            if parcel.shipment_id == row.id
        ],
    }


def _order_line(order: Order, line: OrderLine, held: Sequence[Reservation]) -> dict[str, Any]:
    return {
        "id": line.id,
        "line": line.position,
        "sku": line.sku,
        "title": line.title,
        "known": line.is_known,
        "quantity": line.quantity,
        "price": amount_of(line.unit_price, order.currency),
        "discount": amount_of(line.discount, order.currency),
        "tax": amount_of(line.tax, order.currency),
        "price_why": line.price_why or [],
        "reserved": sum(reservation.quantity for reservation in held),
        "picked": line.picked,
        "shipped": line.shipped,
        "invoiced": line.invoiced,
    }


def _answer(answer: DeedAnswer) -> dict[str, str]:
    return {
        "outcome": answer.outcome,
        "code": answer.code,
        "message": answer.message,
        "fix": answer.fix,
    }


def _progress(order: Order) -> dict[str, str]:
    return {
        "reserved": order.fact_reserved,
        "picked": order.fact_picked,
        "shipped": order.fact_shipped,
        "invoiced": order.fact_invoiced,
        "paid": order.fact_paid,
    }


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
            "open": row.words,
            "customer": row.customer,
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
        answer = _order_shape(by, made.number)
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
        last_day=wish.last_day,
        overridden={one.code: one.reason for one in wish.override},
    )


@router.get("/orders/{number}")
def get_order(by: By, number: str) -> dict[str, Any]:
    """Returns one order."""
    return _order_shape(by, number)


@router.patch("/orders/{number}")
def patch_order(by: By, number: str, change: OrderChange) -> dict[str, Any]:
    """Moves an order into another tray."""
    if change.tray is not None:
        verdict = move_orders(by.workplace, by.actor, [number], change.tray)[0]
        refuse_with(verdict)
    return _order_shape(by, number)


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
    return {"items": [{"number": one.number, **_answer(one.answer)} for one in foreseen]}


@router.post("/orders/{number}/address")
def post_address(by: By, number: str, wish: AddressShape) -> dict[str, Any]:
    """Sends an order to another address in the same country, until something of it is picked; tells
    in `warnings` what is not as it is written there. The customer's addresses stay as they are."""
    warnings = change_address(by.workplace, by.actor, number, Address(**wish.model_dump()))
    return {**_order_shape(by, number), "warnings": warnings}


class LinkedLine(Shape):
    """The product that an unknown line means."""

    sku: str


@router.post("/orders/{number}/lines/{line}/link")
def post_line_link(by: By, number: str, line: Id, wish: LinkedLine) -> dict[str, Any]:
    """Says which product an unknown line means, by the line's position; all lines like it and the
    listing are linked too."""
    repaired = link_line(by.workplace, by.actor, number, line, wish.sku)
    return {**_order_shape(by, number), "repaired": repaired}
