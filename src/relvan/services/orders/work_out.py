"""Works out the progress and the tray of an order after any change of its lines, reservations,
shipments or payment."""

from collections.abc import Collection

from relvan.core.orders.facts import order_facts
from relvan.core.orders.trays import Tray, tray_after_work
from relvan.core.shipping.life import OPEN_SHIPMENTS
from relvan.core.webhooks.announcing import Matter
from relvan.services import audit
from relvan.services.webhooks.announce import announce
from relvan.services.workplace import Actor, Workplace
from relvan.store.orders import line_facts, lines_of, reservations_of, shipments_of
from relvan.store.session import Session
from relvan.store.tables import Order


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
        facts = order_facts(
            [line_facts(line, reservations.get(line.id, ())) for line in lines[order.id]],
            paid=order.paid,
            total=order.total,
        )
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
            unknown = sum(1 for line in lines[order.id] if line.product_id is None)
            tray = tray_after_work(facts, open_shipments=open_shipments, unknown_lines=unknown)
            put_in_tray(
                session, workplace, actor, order, Tray.CANCELLED if order.cancelled_at else tray
            )
        if _standing(order) != before:
            changed.append(order.number)
    session.flush()
    announce(session, workplace, Matter.ORDER, changed)


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
    session: Session, workplace: Workplace, actor: Actor, order: Order, tray: Tray
) -> None:
    """Moves an order, with an entry in its log."""
    if order.tray == tray:
        return
    changes = {"tray": (order.tray, str(tray))}
    order.tray = tray
    audit.record(
        session, actor, workplace.now(), audit.Subject("order", order.id), "moved", changes
    )
