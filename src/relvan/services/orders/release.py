"""Letting orders go to the warehouse: each becomes a shipment for every warehouse that its stock is promised from."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from relvan.core.orders.facts import Extent
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.orders.reserve import reserve_all
from relvan.services.orders.work_out import work_out_orders
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.orders import order_by_number, reservations_of, units_in_shipments
from relvan.store.tables import Order, Shipment, ShipmentLine


def release_orders(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Release each order; a verdict for each. Released twice, nothing happens the second time."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> str:
        return ", ".join(_release(session, workplace, actor, order_by_number(session, number)))

    return for_each(workplace, numbers, deed)


def release_parts(workplace: Workplace, actor: Actor, numbers: Sequence[str]) -> list[Verdict]:
    """Reserve of each order what there is and let that go to the warehouse; the rest waits for stock. A verdict for
    each."""
    actor.must(Right.ORDERS)

    def deed(session: Session, number: str) -> str:
        order = order_by_number(session, number)
        reserve_all(session, workplace, actor, [order], part=True)
        if order.fact_reserved == Extent.NONE:
            raise refuse("short", f"Nothing of “{order.number}” is there.", "Wait for stock, or cancel it.")
        return ", ".join(_release(session, workplace, actor, order, part=True))

    return for_each(workplace, numbers, deed)


def _release(session: Session, workplace: Workplace, actor: Actor, order: Order, *, part: bool = False) -> list[str]:
    if order.cancelled_at:
        raise refuse("cancelled", f"“{order.number}” is cancelled.", "It cannot be released.")
    if order.fact_shipped == Extent.ALL:
        raise refuse("shipped", f"“{order.number}” has been shipped.", "There is nothing left to release.")
    if order.fact_reserved != Extent.ALL and not part:
        raise refuse("short", f"“{order.number}” is not reserved whole.", "Reserve it first, or wait for stock.")
    if order.fact_paid != Extent.ALL and order.channel_id is not None:
        raise refuse("not-paid", f"“{order.number}” is not paid.", "The channel tells when it is.")
    by_warehouse = _unreleased(session, order)
    made = []
    for warehouse_id, lines in by_warehouse.items():
        shipment = Shipment(
            number=next_number(session, "S"),
            order_id=order.id,
            warehouse_id=warehouse_id,
            state="to pick",
            created_at=workplace.now(),
        )
        session.add(shipment)
        session.flush()
        for line_id, product_id, units in lines:
            session.add(
                ShipmentLine(shipment_id=shipment.id, order_line_id=line_id, product_id=product_id, quantity=units)
            )
        made.append(shipment.number)
    if made:
        audit.record(session, actor, workplace.now(), "order", order.id, f"released as {', '.join(made)}")
        work_out_orders(session, workplace, actor, [order])
    return made


def _unreleased(session: Session, order: Order) -> dict[int, list[tuple[int, int, int]]]:
    """(order line, product, units) by warehouse: what is promised and in no open shipment."""
    in_shipments = units_in_shipments(session, [order.id])
    found: dict[int, list[tuple[int, int, int]]] = {}
    for line_id, reservations in reservations_of(session, [order.id]).items():
        for reservation in reservations:
            units = reservation.quantity - in_shipments.get((line_id, reservation.warehouse_id), 0)
            if units > 0:
                found.setdefault(reservation.warehouse_id, []).append((line_id, reservation.product_id, units))
    return found
