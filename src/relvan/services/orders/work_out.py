"""Works out the progress and the tray of an order after any change of its lines, reservations,
shipments or payment."""

from collections.abc import Collection

from relvan.core.orders.facts import Extent, OrderFacts
from relvan.core.orders.rules import RuleEvent
from relvan.core.orders.trays import Tray, is_first_tray, tray_after_work
from relvan.core.shipping.life import OPEN_SHIPMENTS
from relvan.core.webhooks.announcing import Matter
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.webhooks.announce import announce
from relvan.services.workplace import Actor, Workplace
from relvan.store.orders import lines_of, progress_of, reservations_of, shipments_of
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
    moves: list[tuple[int | None, str, audit.Changes]] = []
    for order in orders:
        before = _standing(order)
        facts = progress_of(order, lines[order.id], reservations)
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
            unknown = sum(not line.is_known for line in lines[order.id])
            tray = tray_after_work(facts, open_shipments=open_shipments, unknown_lines=unknown)
            if order.cancelled_at or is_first_tray(order.tray):
                tray = Tray.CANCELLED if order.cancelled_at else tray
                if order.tray != tray:
                    moves.append((order.id, "moved", _move(workplace, order, tray)))
        after = _standing(order)
        if after != before:
            changed.append(order.number)
            _note_events(session, order, before, after)
    session.flush()
    audit.record_many(session, actor, workplace.now(), "order", moves)
    announce(session, workplace, Matter.ORDER, changed)


def order_progress(session: Session, order: Order) -> OrderFacts:
    """Returns the progress of an order as it is."""
    lines = lines_of(session, [order.id])[order.id]
    return progress_of(order, lines, reservations_of(session, [order.id]))


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
    changes = _move(workplace, order, tray)
    audit.record(
        session, actor, workplace.now(), audit.Subject("order", order.id), "moved", changes
    )


def _move(workplace: Workplace, order: Order, tray: str) -> audit.Changes:
    changes = {"tray": (order.tray, str(tray))}
    order.tray, order.tray_since = str(tray), workplace.now()
    return changes
