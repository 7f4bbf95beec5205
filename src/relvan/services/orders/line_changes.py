"""Takes units off lines of an order before they leave, and adds units to them. Stock, shipments, sums
and the channel follow.
"""

from collections.abc import Sequence

from relvan.core.orders.discounts import part_up_to
from relvan.core.orders.invoicing import delivery_lines, line_of, sums_of, tax_on
from relvan.core.orders.returns import LineStanding, refuse_taking_off
from relvan.core.orders.tax import tax_inside
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.shipping.life import (
    NOT_PICKED_YET,
    PICK_LIST,
    SHIPMENT,
    PickListState,
    ShipmentState,
    move,
)
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.cancel import cancel_in
from relvan.services.orders.invoices import billable
from relvan.services.orders.payments import give_back_by_channel
from relvan.services.orders.reserve import lower_reservation, reserve_in
from relvan.services.orders.tell_off import tell_taken_off
from relvan.services.orders.work_out import work_out_orders
from relvan.services.workplace import Actor, Workplace
from relvan.store.notices import shrink_late_notice
from relvan.store.orders import (
    lines_of,
    order_by_number,
    reservations_of,
    units_in_shipments,
)
from relvan.store.picking import open_lists_in, open_picks, units_picked
from relvan.store.returns import open_shipment_lines
from relvan.store.session import Session
from relvan.store.tables import Order, OrderLine, Pick, Shipment, ShipmentLine

MOST_UNITS = 100_000


def take_off(
    workplace: Workplace, actor: Actor, number: str, position: int, units: int | None = None
) -> None:
    """Takes units of a line off an order, or all that are left of it. What is not picked yet leaves its
    shipment; an order without any line left is cancelled, and its channel is told.

    Raises:
        Refused: if the units are picked or invoiced.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order, line, parts = _line(session, number, position)
        wanted = line.quantity if units is None else units
        if units is None and not wanted:
            return
        refuse_if_any(refuse_taking_off(line_standing(line, parts), wanted))
        take_off_in(session, workplace, actor, order, [(line, wanted)])
        tell_taken_off(session, workplace, order)


def set_quantity(
    workplace: Workplace, actor: Actor, number: str, position: int, quantity: int
) -> None:
    """Brings a line to so many units: takes units off, or adds some at the same price and reserves
    them. Only orders by hand or by file can grow; a channel's buyer buys again.

    Raises:
        Refused: if units are picked or invoiced that would be taken off, or the order cannot grow.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order, line, parts = _line(session, number, position)
        if quantity == line.quantity:
            return
        if quantity < line.quantity:
            wanted = line.quantity - quantity
            refuse_if_any(refuse_taking_off(line_standing(line, parts), wanted))
            take_off_in(session, workplace, actor, order, [(line, wanted)])
            tell_taken_off(session, workplace, order)
            return
        _refuse_growing(order, line, quantity)
        before = line.quantity
        _resize(order, line, parts, quantity)
        changes: audit.Changes = {f"units of {line.sku or line.title}": (before, quantity)}
        _settle(session, workplace, actor, order, "changed", changes)
        if order.fact_reserved != "all":
            reserve_in(session, workplace, actor, order)


def _refuse_growing(order: Order, line: OrderLine, quantity: int) -> None:
    if order.channel_id is not None:
        message = f"“{order.number}” was bought on a channel, with {line.quantity} of {line.sku}."
        raise refuse("not-allowed", message, "Let the buyer buy again.", "quantity")
    if quantity > MOST_UNITS:
        message = f"“Quantity” must be at most {MOST_UNITS:,}; it got {quantity}."
        raise refuse("out-of-range", message, "Correct it.", "quantity")


def _line(session: Session, number: str, position: int) -> tuple[Order, OrderLine, list[OrderLine]]:
    """Returns an order with one of its lines by position, and the lines of the parts of a kit."""
    order = order_by_number(session, number)
    if order.cancelled_at is not None:
        message = f"“{order.number}” is cancelled."
        raise refuse("cancelled", message, "Nothing of it is sent any more.")
    lines = lines_of(session, [order.id])[order.id]
    found = [line for line in lines if line.position == position and line.part_of is None]
    if not found:
        raise not_found("line", f"{position} of {number}")
    return order, found[0], [line for line in lines if line.part_of == found[0].id]


def sold_lines(session: Session, order: Order) -> dict[int, tuple[OrderLine, list[OrderLine]]]:
    """Returns the lines of an order by position, each with the lines of the parts of a kit."""
    lines = lines_of(session, [order.id])[order.id]
    return {
        line.position: (line, [one for one in lines if one.part_of == line.id])
        for line in lines
        if line.part_of is None
    }


def line_standing(line: OrderLine, parts: Sequence[OrderLine]) -> LineStanding:
    """Returns what of a line is picked, shipped and invoiced; of a kit in whole kits."""
    name = line.sku or line.title
    if not parts or not line.quantity:
        return LineStanding(name, line.quantity, line.picked, line.shipped, line.invoiced)
    per = [(part, max(1, part.quantity // line.quantity)) for part in parts]
    picked = max(-(-part.picked // each) for part, each in per)
    shipped = min(part.shipped // each for part, each in per)
    return LineStanding(name, line.quantity, picked, shipped, line.invoiced)


def take_off_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    wanted: Sequence[tuple[OrderLine, int]],
) -> None:
    """Takes units off lines inside a transaction; that they can be is checked before."""
    lines = lines_of(session, [order.id])[order.id]
    changes: audit.Changes = {
        f"units of {line.sku or line.title}": (line.quantity, line.quantity - units)
        for line, units in wanted
    }
    for line, units in wanted:
        parts = [one for one in lines if one.part_of == line.id]
        left = line.quantity - units
        line.taken_off += units
        shrink_late_notice(session, order.id, line.position, units)
        for one in parts or [line]:
            less = units * (one.quantity // line.quantity)
            _leave_shipments(session, workplace, one, less)
        _resize(order, line, parts, left)
    session.flush()
    freed = _lower_promises(session, order)
    if not any(line.quantity for line in lines):
        cancel_in(session, workplace, actor, order, "cancelled: nothing is left of it")
        return
    _settle(session, workplace, actor, order, "taken off", changes)
    changes_of(session).stock_moved(freed, freed=True)


def take_off_open(session: Session, workplace: Workplace, actor: Actor, order: Order) -> None:
    """Takes off inside a transaction what of an order has neither left nor is picked or invoiced."""
    wanted = []
    for line, parts in sold_lines(session, order).values():
        standing = line_standing(line, parts)
        units = line.quantity - max(standing.picked, standing.invoiced)
        if units > 0:
            wanted.append((line, units))
    if wanted:
        take_off_in(session, workplace, actor, order, wanted)


def _resize(order: Order, line: OrderLine, parts: Sequence[OrderLine], quantity: int) -> None:
    """Brings a line, with its parts, discount and tax, to another number of units."""
    before = line.quantity
    for part in parts:
        part.quantity = part.quantity // before * quantity
    line.discount = part_up_to(line.discount, quantity, before)
    line.quantity = quantity
    order.units += quantity - before
    amount = line.unit_price * quantity - line.discount
    percent = billable(order, line).percent
    line.tax = tax_inside(amount, percent) if order.with_tax else tax_on(amount, percent)
    line.tax_worked = None


def _settle(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    deed: str,
    changes: audit.Changes,
) -> None:
    """Brings along the sums and the progress of an order whose lines have changed. What its buyer paid
    beyond its total, the channel gives back."""
    session.flush()
    lines = [line for line in lines_of(session, [order.id])[order.id] if line.part_of is None]
    billed = [line_of(billable(order, line, again=True), line.quantity) for line in lines]
    charge = delivery_lines(order.delivery_price, billed, "", with_tax=order.with_tax)
    total = sums_of([*billed, *charge], with_tax=order.with_tax).payable
    told = {**changes, "total": (order.total, total)} if total != order.total else changes
    order.total = total
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, deed, told)
    give_back_by_channel(session, workplace, order)
    work_out_orders(session, workplace, actor, [order])


def _leave_shipments(session: Session, workplace: Workplace, line: OrderLine, units: int) -> None:
    """Takes units of a line that are not picked yet out of its open shipments and pick lists, as far
    as they are not left without one."""
    held = open_shipment_lines(session, line.id)
    outside = line.quantity - line.shipped - sum(row.quantity for row, _ in held)
    left = units - max(0, outside)
    for row, shipment in held:
        less = min(left, row.quantity - row.picked)
        if less <= 0:
            continue
        left -= less
        _unlist(session, row, less)
        row.quantity -= less
        session.flush()
        _end_if_empty(session, workplace, shipment)


def _unlist(session: Session, row: ShipmentLine, units: int) -> None:
    for pick in _open_picks_of(session, row):
        less = min(units, pick.quantity)
        units -= less
        if less == pick.quantity:
            session.delete(pick)
        else:
            pick.quantity -= less
    session.flush()


def _open_picks_of(session: Session, row: ShipmentLine) -> list[Pick]:
    return [
        pick for pick in open_picks(session, row.shipment_id) if pick.shipment_line_id == row.id
    ]


def _end_if_empty(session: Session, workplace: Workplace, shipment: Shipment) -> None:
    """Moves a shipment on from which open picks were taken, and ends pick lists without any left."""
    rows = [row for row, _ in open_shipment_lines(session, shipment_id=shipment.id)]
    empty = not any(row.quantity for row in rows)
    if shipment.state in (ShipmentState.TO_PICK, ShipmentState.TO_HAND_OVER) and empty:
        shipment.state = move(SHIPMENT, shipment.number, shipment.state, "cancel")
    elif shipment.state == ShipmentState.TO_PACK and empty:
        shipment.state = move(SHIPMENT, shipment.number, shipment.state, "put back")
    elif shipment.state == ShipmentState.PICKING and not open_picks(session, shipment.id):
        got = any(row.picked for row in rows)
        event = "picked" if got else "none picked"
        shipment.state = move(SHIPMENT, shipment.number, shipment.state, event)
    if shipment.state in NOT_PICKED_YET and not empty:
        return
    for pick_list in open_lists_in(session, shipment.warehouse_id):
        picked = units_picked(session, pick_list.id)
        if pick_list.state == PickListState.OPEN and None not in picked:
            event = "finish" if picked else "cancel"
            pick_list.state = move(PICK_LIST, pick_list.number, pick_list.state, event)
            pick_list.finished_at = workplace.now()


def _lower_promises(session: Session, order: Order) -> set[int]:
    """Lowers what is promised to lines beyond what is still wanted; returns the products whose stock
    became free."""
    in_shipments = units_in_shipments(session, [order.id])
    lines = {line.id: line for line in lines_of(session, [order.id])[order.id]}
    freed: set[int] = set()
    for line_id, reservations in reservations_of(session, [order.id]).items():
        line = lines[line_id]
        excess = sum(one.quantity for one in reservations) - (line.quantity - line.shipped)
        for reservation in reservations:
            kept = in_shipments.get((line_id, reservation.warehouse_id), 0)
            less = min(excess, reservation.quantity - kept)
            if less > 0:
                excess -= less
                freed.add(reservation.product_id)
                lower_reservation(session, reservation, less)
    return freed
