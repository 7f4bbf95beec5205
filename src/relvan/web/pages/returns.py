"""Serves changes of the lines of an order, and returns: expecting, receiving by scanner, giving back."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.returns import ReturnState, ReturnTo
from relvan.core.refusal import Refused, refuse
from relvan.services.orders.line_changes import set_quantity
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
from relvan.store.catalogue import ids_by_scan
from relvan.store.orders import lines_of, order_by_id
from relvan.store.returns import lines_of_return, return_by_number, return_page
from relvan.store.stock import warehouses
from relvan.web.desk import At, Desk, Form, last_try
from relvan.web.reading import FormReader
from relvan.web.words import RETURN_PLACES

router = APIRouter(prefix="/orders")
PAGE = 50


@router.get("/returns", name="return_index")
def return_index(desk: At, state: str = "", after: int = 0) -> HTMLResponse:
    """Shows returns, the newest first."""
    wanted = state if state in set(ReturnState) else ""
    with desk.workplace.database.reading() as session:
        rows = return_page(session, state=wanted, after=after, limit=PAGE + 1)
    return desk.page(
        "orders/returns.html",
        "orders",
        rows=rows[:PAGE],
        state=wanted,
        states=list(ReturnState),
        more=rows[PAGE - 1].id if len(rows) > PAGE else 0,
    )


@router.get("/returns/{number}", name="return_show")
def return_show(desk: At, number: str, to: str = "stock", warehouse: str = "") -> HTMLResponse:
    """Shows one return."""
    return _page(desk, number, typed={"to": to, "warehouse": warehouse})


def _page(
    desk: Desk, number: str, refused: Refused | None = None, typed: dict[str, str] | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        row = return_by_number(session, number)
        order = order_by_id(session, row.order_id)
        by_id = {line.id: line for line in lines_of(session, [order.id])[order.id]}
        held = lines_of_return(session, row.id)
        worth = worth_of(session, order, row)
        places = warehouses(session)
    values: dict[str, Any] = {
        "back": row,
        "order": order,
        "lines": [(by_id[one.order_line_id], one) for one in held],
        "left": sum(one.quantity - one.received for one in held),
        "worth": worth,
        "places": RETURN_PLACES,
        "warehouses": places,
        "methods": METHODS,
        **last_try(typed, refused),
    }
    return desk.page("orders/return.html", "orders", status=422 if refused else 200, **values)


@router.post("/{number}/lines/change", name="order_line_change")
def order_line_change(desk: At, form: Form, number: str) -> Response:
    """Brings a line of an order to another number of units."""
    read = FormReader(form)
    quantity = read.whole("quantity", "Units")
    read.raise_if_refused()
    if quantity is None or quantity < 0:
        raise refuse("missing", "“Units” must be 0 or more.", "Type a number.", "quantity")
    set_quantity(desk.workplace, desk.actor, number, form.id_of("line") or 0, quantity)
    return desk.done(f"/orders/{number}", "The line is changed.")


@router.post("/{number}/lines/warehouse", name="order_line_warehouse")
def order_line_warehouse(desk: At, form: Form, number: str) -> Response:
    """Lets a line leave from another warehouse."""
    line_id, _, start = form.get("from", "").partition(":")
    to = form.get("to", "")
    found = int(line_id) if line_id.isascii() and line_id.isdigit() and len(line_id) < 15 else 0
    units = move_promise(desk.workplace, desk.actor, number, found, to, start)
    words = f"{units} {'unit leaves' if units == 1 else 'units leave'} from there."
    return desk.done(f"/orders/{number}", words)


@router.post("/{number}/returns", name="return_expect")
def return_expect(desk: At, form: Form, number: str) -> Response:
    """Notes that goods of an order are expected back."""
    read = FormReader(form)
    names = [name for name in form if name.startswith("back-")]
    units = {
        int(name.removeprefix("back-")): read.whole(name, "Units") or 0
        for name in names
        if name.removeprefix("back-").isdigit()
    }
    read.raise_if_refused()
    made = expect_return(desk.workplace, desk.actor, number, units, form.get("reason", ""))
    return desk.done(f"/orders/returns/{made}", f"{made} is expected.")


@router.post("/returns/{number}/receive", name="return_receive")
def return_receive(desk: At, form: Form, number: str) -> Response:
    """Receives a piece that was scanned or typed."""
    read = FormReader(form)
    try:
        units = read.whole("units", "Units") or 1
        read.raise_if_refused()
        to = form.get("to", "stock")
        if to not in RETURN_PLACES:
            raise refuse("not-allowed", "Choose where it goes.", "", "to")
        position = _line_of_code(desk, number, form.get("code", "").strip())
        arrived = ArrivedGoods(position, units, ReturnTo(to), form.get("bin", "").strip())
        place = form.get("warehouse", "")
        receive_return(desk.workplace, desk.actor, number, [arrived], place)
    except Refused as refused:
        return _page(desk, number, refused, dict(form))
    words = f"{units} {RETURN_PLACES[ReturnTo(to)].partition(',')[0]}."
    return desk.done(f"/orders/returns/{number}?to={to}&warehouse={place}", words)


def _line_of_code(desk: Desk, number: str, code: str) -> int:
    """Returns the position of the line that a SKU, an alias or a barcode means."""
    with desk.workplace.database.reading() as session:
        row = return_by_number(session, number)
        lines = {line.id: line for line in lines_of(session, [row.order_id])[row.order_id]}
        found = ids_by_scan(session, code)
        for one in lines_of_return(session, row.id):
            line = lines[one.order_line_id]
            if line.product_id in found or line.sku.casefold() == code.casefold():
                return line.position
    message = f"“{code[:40]}” is not expected back by {number}."
    raise refuse("not-found", message, "Look at what it is; it may be of another return.", "code")


@router.post("/returns/{number}/refund", name="return_refund")
def return_refund(desk: At, form: Form, number: str) -> Response:
    """Gives back what came, or a part of it."""
    read = FormReader(form)
    with desk.workplace.database.reading() as session:
        row = return_by_number(session, number)
        currency = order_by_id(session, row.order_id).currency
    try:
        amount = read.amount("amount", currency)
        read.raise_if_refused()
        method = form.get("method", "transfer")
        done = refund_return(desk.workplace, desk.actor, number, amount, method)
    except Refused as refused:
        return _page(desk, number, refused, dict(form))
    money = desk.environment.filters["money"]
    return desk.done(f"/orders/returns/{number}", f"{money(done.amount, currency)} given back.")


@router.post("/returns/{number}/cancel", name="return_cancel")
def return_cancel(desk: At, form: Form, number: str) -> Response:
    """Says that goods do not come back after all."""
    try:
        cancel_return(desk.workplace, desk.actor, number)
    except Refused as refused:
        return _page(desk, number, refused)
    return desk.done("/orders/returns", f"{number} is cancelled.")
