"""Changes by hand from which warehouse units of a line leave, as long as they lie in no shipment."""

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.orders.reserve import lower_reservation
from relvan.services.orders.work_out import work_out_orders
from relvan.services.workplace import Actor, Workplace
from relvan.store.order_lines import reservation_at
from relvan.store.orders import lines_of, order_by_number, units_in_shipments
from relvan.store.session import Session
from relvan.store.stock import balance_row, warehouse_by_key
from relvan.store.tables import Order, OrderLine, Reservation, Warehouse


def move_promise(
    workplace: Workplace,
    actor: Actor,
    number: str,
    line_id: int,
    to: str,
    start: str,
) -> int:
    """Lets the units of a line that are promised from one warehouse leave from another, as many as are
    free there; returns how many. `to` and `start` are keys of warehouses. Repeated, it finds nothing
    more to move.

    Raises:
        Refused: if nothing is promised there outside shipments, or nothing is free in the other.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        line = next(
            (one for one in lines_of(session, [order.id])[order.id] if one.id == line_id), None
        )
        if line is None or line.product_id is None:
            raise not_found("line", f"{line_id} of {number}")
        source, target = warehouse_by_key(session, start), warehouse_by_key(session, to)
        if source.id == target.id:
            return 0
        held = reservation_at(session, line.id, source.id)
        inside = units_in_shipments(session, [order.id]).get((line.id, source.id), 0)
        open_units = held.quantity - inside if held is not None else 0
        if held is None or open_units <= 0:
            message = f"Nothing of {line.sku} is promised from {source.name} and not released yet."
            raise refuse("nothing", message, "Undo the release first.", "warehouse")
        units = min(open_units, max(0, free_there(session, line.product_id, target.id)))
        if not units:
            message = f"None of {line.sku} is free in {target.name}."
            raise refuse("short", message, "Choose another warehouse.", "warehouse")
        lower_reservation(session, held, units)
        promise_at(session, line, target, units)
        _settle(session, workplace, actor, order, f"{units} of {line.sku} leave from {target.name}")
        changes_of(session).stock_moved([line.product_id], freed=True)
        return units


def free_there(session: Session, product_id: int, warehouse_id: int) -> int:
    """Returns what of a product is free in a warehouse beyond its safety stock; below zero where too much
    is promised."""
    balance = balance_row(session, product_id, warehouse_id)
    return balance.on_hand - balance.reserved - balance.blocked - balance.safety


def promise_at(session: Session, line: OrderLine, target: Warehouse, units: int) -> None:
    """Promises units of a line from a warehouse, inside a transaction."""
    assert line.product_id is not None
    held = reservation_at(session, line.id, target.id)
    if held is not None:
        held.quantity += units
    else:
        session.add(
            Reservation(
                order_line_id=line.id,
                product_id=line.product_id,
                warehouse_id=target.id,
                quantity=units,
            )
        )
    balance_row(session, line.product_id, target.id).reserved += units
    session.flush()


def _settle(session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str) -> None:
    """Notes that a person chose the warehouse, which the why of the route says."""
    if order.routed:
        order.routed = {**order.routed, "by_hand": actor.name}
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, deed)
    work_out_orders(session, workplace, actor, [order])
