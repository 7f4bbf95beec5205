"""Works out the progress and the tray of an order after any change of its lines, reservations,
shipments or payment."""

from collections.abc import Collection, Mapping, Sequence

from relvan.core.orders.facts import Extent, OrderFacts, order_facts
from relvan.core.orders.rules import RuleEvent
from relvan.core.orders.trays import Tray, is_first_tray, tray_after_work
from relvan.core.shipping.life import OPEN_SHIPMENTS
from relvan.core.webhooks.announcing import Matter
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.webhooks.announce import announce
from relvan.services.workplace import Actor, Workplace
from relvan.store.orders import line_facts, lines_of, reservations_of, shipments_of
from relvan.store.session import Session
from relvan.store.tables import Order, OrderLine, Reservation


def work_out_orders(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    orders: Collection[Order],
    *,
    move: bool = True,
) -> None:
    """Brings the kept progress up to date, and moves each order to the tray where it belongs now."""
    session.flush()
    ids = [order.id for order in orders]
    lines, reservations, shipments = (
        lines_of(session, ids),
        reservations_of(session, ids),
        shipments_of(session, ids),
    )
    changed: list[str] = []
    for order in orders:
        before = _standing(order)
        facts = _facts(order, lines[order.id], reservations)
        order.fact_reserved, order.fact_picked, order.fact_shipped = (
            facts.reserved,
            facts.picked,
            facts.shipped,
        )
        order.fact_invoiced, order.fact_paid = facts.invoiced, facts.paid
        order.words = "cancelled" if order.cancelled_at else facts.words
        if move:
            open_shipments = sum(
                1 for shipment in shipments[order.id] if shipment.state in OPEN_SHIPMENTS
            )
            unknown = sum(
                1 for line in lines[order.id] if line.product_id is None and not line.is_free
            )
            tray = tray_after_work(facts, open_shipments=open_shipments, unknown_lines=unknown)
            if order.cancelled_at or is_first_tray(order.tray):
                put_in_tray(
                    session, workplace, actor, order, Tray.CANCELLED if order.cancelled_at else tray
                )
        after = _standing(order)
        if after != before:
            changed.append(order.number)
            _note_events(session, order, before, after)
    session.flush()
    announce(session, workplace, Matter.ORDER, changed)


def progress_of(session: Session, orders: Collection[Order]) -> dict[int, OrderFacts]:
    """Returns the progress of orders, by their ids."""
    ids = [order.id for order in orders]
    lines, reservations = lines_of(session, ids), reservations_of(session, ids)
    return {order.id: _facts(order, lines[order.id], reservations) for order in orders}


def _facts(
    order: Order, lines: Sequence[OrderLine], held: Mapping[int, Sequence[Reservation]]
) -> OrderFacts:
    return order_facts(
        [line_facts(line, held.get(line.id, ())) for line in lines],
        paid=order.paid,
        total=order.total - order.credited,
    )


# what an order has come to, by its place in `_standing` -> what the rules of the desk are told
REACHED = {2: RuleEvent.RESERVED, 4: RuleEvent.SHIPPED, 5: RuleEvent.INVOICED, 6: RuleEvent.PAID}


def _note_events(
    session: Session, order: Order, before: tuple[str, ...], after: tuple[str, ...]
) -> None:
    if order.cancelled_at:
        return
    changes = changes_of(session)
    for place, event in REACHED.items():
        if after[place] == Extent.ALL and before[place] != Extent.ALL:
            changes.happened(order.id, event)


def _standing(order: Order) -> tuple[str, ...]:
    """Returns what webhooks tell of an order."""
    facts = (
        order.fact_reserved,
        order.fact_picked,
        order.fact_shipped,
        order.fact_invoiced,
        order.fact_paid,
    )
    return (order.tray, order.words, *facts)


def put_in_tray(
    session: Session, workplace: Workplace, actor: Actor, order: Order, tray: str
) -> None:
    """Moves an order, with an entry in its log."""
    if order.tray == tray:
        return
    changes = {"tray": (order.tray, str(tray))}
    order.tray, order.tray_since = str(tray), workplace.now()
    audit.record(
        session, actor, workplace.now(), audit.Subject("order", order.id), "moved", changes
    )
