"""Serves changes of lines of orders, and returns, over HTTP."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Id, described, described_number, described_text
from relvan.api.desk import By, Caller, Cursor, Limit, OneOf, api_router, page_of
from relvan.api.order_shapes import order_shape
from relvan.api.shapes import Amount, Shape, amount_of
from relvan.core.catalogue.identity import sku_key
from relvan.core.orders.returns import MOST_REASON, ReturnState, ReturnTo
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.core.texts import SAYING
from relvan.services.orders.line_changes import set_quantity, take_off
from relvan.services.orders.payments import METHODS
from relvan.services.orders.reroute import move_promise
from relvan.services.orders.returns import (
    ArrivedGoods,
    cancel_return,
    expect_return,
    receive_return,
    refund_return,
    worth_of,
)
from relvan.store.orders import lines_of, order_by_id, order_by_number, reservations_of
from relvan.store.returns import (
    lines_of_return,
    return_by_id,
    return_by_number,
    return_page,
)
from relvan.store.stock import warehouse_by_id

router = api_router(tags=["orders"])
Units = Annotated[int, described_number(1, 100_000)]
Reason = Annotated[str, Field(max_length=2000), described_text(SAYING, MOST_REASON)]


class TakenOff(Shape):
    """How many units of a line are taken off; all that are left when it is not said."""

    quantity: Units | None = None


class LineQuantity(Shape):
    """The units of a line."""

    quantity: Annotated[int, described_number(0, 100_000)]


@router.post("/orders/{number}/lines/{line}/cancel")
def post_line_cancel(by: By, number: str, line: Id, wish: TakenOff | None = None) -> dict[str, Any]:
    """Takes units of a line, by its position, off an order before they are picked; the channel is
    told. An order without any line left is cancelled."""
    take_off(by.workplace, by.actor, number, line, wish.quantity if wish else None)
    return order_shape(by, number)


@router.patch("/orders/{number}/lines/{line}")
def patch_line(by: By, number: str, line: Id, wish: LineQuantity) -> dict[str, Any]:
    """Brings a line to so many units. Orders of a channel can only become smaller."""
    set_quantity(by.workplace, by.actor, number, line, wish.quantity)
    return order_shape(by, number)


class LineWarehouse(Shape):
    """From which warehouse a line is to leave, and from which it would leave now, which need not be said
    of a line that leaves from one alone. Of a kit, `part` is the SKU of the part that is meant."""

    warehouse: Annotated[str, Field(max_length=60)]
    instead_of: Annotated[str, Field(max_length=60)] = ""
    part: Annotated[str, Field(max_length=64)] = ""


@router.post("/orders/{number}/lines/{line}/warehouse")
def post_line_warehouse(by: By, number: str, line: Id, wish: LineWarehouse) -> dict[str, Any]:
    """Lets units of a line, by its position, that are promised from one warehouse leave from another,
    as many as are free there."""
    by.actor.must(Right.ORDERS)
    line_id, start = _promised(by, number, line, wish.part)
    move_promise(by.workplace, by.actor, number, line_id, wish.warehouse, wish.instead_of or start)
    return order_shape(by, number)


def _promised(by: Caller, number: str, position: int, part: str) -> tuple[int, str]:
    """Returns the id of a line by its position, of a kit that of a part, and the warehouse from which
    it leaves where that is one alone."""
    with by.workplace.database.reading() as session:
        order = order_by_number(session, number)
        lines = lines_of(session, [order.id])[order.id]
        here = [one for one in lines if one.position == position]
        parts = [one for one in here if one.part_of is not None]
        named = [one for one in parts or here if not part or sku_key(one.sku) == sku_key(part)]
        if not named:
            raise not_found("line", f"{position} {part}".strip() + f" of {number}")
        if len(named) > 1:
            message = f"Line {position} of “{number}” is a kit of {len(named)} parts."
            raise refuse("missing", message, "Name the part by its SKU.", "part")
        held = reservations_of(session, [order.id]).get(named[0].id, [])
        places = {one.warehouse_id for one in held}
        start = warehouse_by_id(session, places.pop()).key if len(places) == 1 else ""
        return named[0].id, start


class ReturnedLine(Shape):
    """Units of a line of an order, by its position."""

    line: Id
    quantity: Units


class NewReturn(Shape):
    """Goods of an order that are expected back, and why."""

    order: Annotated[str, Field(max_length=60)]
    lines: Annotated[list[ReturnedLine], Field(max_length=500, json_schema_extra={"minItems": 1})]
    reason: Reason


class ArrivedLine(ReturnedLine):
    """Units of a line that came back, where they go, and into which bin."""

    to: Annotated[str, described(ReturnTo)] = "stock"
    bin: Annotated[str, Field(max_length=60)] = ""


class ReturnReceipt(Shape):
    """What came back, and in which warehouse. The same `key` receives once."""

    warehouse: Annotated[str, Field(max_length=60)]
    lines: Annotated[list[ArrivedLine], Field(max_length=500, json_schema_extra={"minItems": 1})]
    key: Annotated[str, Field(max_length=100)] = ""


class ReturnRefund(Shape):
    """What is given back, in the currency of the order; all that the goods came to when it is not
    said."""

    amount: Amount | None = None
    method: Annotated[str, described(METHODS)] = "transfer"


def _number(by: Caller, told: str) -> str:
    """Returns the number of a return that is named by its number or its id."""
    with by.workplace.database.reading() as session:
        if told.isascii() and told.isdigit() and len(told) < 15:
            return return_by_id(session, int(told)).number
        return return_by_number(session, told).number


def _return(by: Caller, number: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        row = return_by_number(session, number)
        order = order_by_id(session, row.order_id)
        lines = {line.id: line for line in lines_of(session, [order.id])[order.id]}
        held, worth = lines_of_return(session, row.id), worth_of(session, order, row)
    return {
        "id": row.id,
        "number": row.number,
        "order": order.number,
        "state": row.state,
        "reason": row.reason,
        "lines": [
            {
                "line": lines[one.order_line_id].position,
                "sku": lines[one.order_line_id].sku,
                "quantity": one.quantity,
                "to_stock": one.to_stock,
                "to_blocked": one.to_blocked,
                "written_off": one.written_off,
            }
            for one in held
        ],
        "worth": amount_of(worth, order.currency),
        "refunded": amount_of(row.refunded, order.currency),
        "credit_note": row.credit_note or None,
        "made_at": row.made_at,
    }


@router.get("/returns")
def list_returns(
    by: By,
    state: Annotated[str, OneOf("state", tuple(ReturnState))] = "",
    limit: Limit = 50,
    after: Cursor = 0,
) -> dict[str, Any]:
    """Returns returns, the newest first."""
    with by.workplace.database.reading() as session:
        rows = return_page(session, state=state, after=after, limit=limit + 1)
    shown, more = page_of(rows, limit, lambda row: row.id)
    items = [
        {
            "id": row.id,
            "number": row.number,
            "order": row.order,
            "customer": row.customer,
            "state": row.state,
            "reason": row.reason,
            "units": row.units,
            "refunded": amount_of(row.refunded, row.currency),
            "made_at": row.made_at,
        }
        for row in shown
    ]
    return {"items": items, "next": more}


@router.post("/returns", status_code=201)
def post_return(by: By, wish: NewReturn) -> dict[str, Any]:
    """Notes that goods of an order are expected back."""
    units: dict[int, int] = {}
    for one in wish.lines:
        units[one.line] = units.get(one.line, 0) + one.quantity
    return _return(by, expect_return(by.workplace, by.actor, wish.order, units, wish.reason))


@router.get("/returns/{return_id}")
def get_return(by: By, return_id: str) -> dict[str, Any]:
    """Returns one return, by its id or its number."""
    return _return(by, _number(by, return_id))


@router.post("/returns/{return_id}/receive")
def post_return_receive(by: By, return_id: str, wish: ReturnReceipt) -> dict[str, Any]:
    """Receives goods of a return into stock, into blocked stock, or not at all."""
    by.actor.must(Right.STOCK)
    number = _number(by, return_id)
    arrived = [ArrivedGoods(one.line, one.quantity, _to(one.to), one.bin) for one in wish.lines]
    receive_return(by.workplace, by.actor, number, arrived, wish.warehouse, wish.key)
    return _return(by, number)


def _to(told: str) -> ReturnTo:
    if told not in set(ReturnTo):
        message = f"“to” must be one of {', '.join(ReturnTo)}; it got “{told[:20]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "to")
    return ReturnTo(told)


@router.post("/returns/{return_id}/refund")
def post_return_refund(by: By, return_id: str, wish: ReturnRefund | None = None) -> dict[str, Any]:
    """Gives back what the received goods came to, or a part of it. Repeating it changes nothing."""
    by.actor.must(Right.ORDERS)
    number = _number(by, return_id)
    amount = None
    if wish is not None and wish.amount is not None:
        currency = _return(by, number)["worth"]["currency"]
        if wish.amount.currency != currency:
            message = f"“amount” must be in {currency}; it got {wish.amount.currency[:10]}."
            raise refuse("not-allowed", message, "Give it in the currency of the order.", "amount")
        amount = wish.amount.amount
    method = wish.method if wish else "transfer"
    refund_return(by.workplace, by.actor, number, amount, method)
    return _return(by, number)


@router.post("/returns/{return_id}/cancel")
def post_return_cancel(by: By, return_id: str) -> dict[str, Any]:
    """Says that goods do not come back after all."""
    by.actor.must(Right.ORDERS)
    number = _number(by, return_id)
    cancel_return(by.workplace, by.actor, number)
    return _return(by, number)
