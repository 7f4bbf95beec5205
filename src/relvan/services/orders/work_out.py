"""Works out the progress and the tray of an order after any change of its lines, reservations,
shipments or payment."""

from collections.abc import Collection, Mapping

from relvan.core.orders.facts import Extent, OrderFacts
from relvan.core.orders.rules import RuleEvent
from relvan.core.orders.trays import settled_tray
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
        order.words = _words_of_cancelled(order) if order.cancelled_at else facts.words
        if move:
            open_shipments = sum(
                1 for shipment in shipments[order.id] if shipment.state in OPEN_SHIPMENTS
            )
            unknown = sum(not line.is_known for line in lines[order.id])
            tray = settled_tray(
                order.tray,
                facts,
                cancelled=order.cancelled_at is not None,
                open_shipments=open_shipments,
                unknown_lines=unknown,
            )
            if order.tray != tray:
                moves.append((order.id, "moved", _move(workplace, order, tray)))
        after = _standing(order)
        if after != before:
            changed.append(order.number)
            if not order.cancelled_at:
                note_reached(session, order.id, before, after)
    session.flush()
    audit.record_many(session, actor, workplace.now(), "order", moves)
    announce(session, workplace, Matter.ORDER, changed)


def _words_of_cancelled(order: Order) -> str:
    return "cancelled, money to give back" if owed_by(order) < 0 else "cancelled"


def owed_by(order: Order) -> int:
    """Returns what is still owed for an order, in minor units; below 0 when too much was paid."""
    return order.total - order.credited - order.paid


def order_progress(session: Session, order: Order) -> OrderFacts:
    """Returns the progress of an order as it is."""
    lines = lines_of(session, [order.id])[order.id]
    return progress_of(order, lines, reservations_of(session, [order.id]))


# how far an order has come with something -> what the rules of the desk are told when all is done
REACHED = {
    "reserved": RuleEvent.RESERVED,
    "shipped": RuleEvent.SHIPPED,
    "invoiced": RuleEvent.INVOICED,
    "paid": RuleEvent.PAID,
}
NOTHING_YET = dict.fromkeys(REACHED, str(Extent.NONE))


def note_reached(
    session: Session, order_id: int, before: Mapping[str, str], after: Mapping[str, str]
) -> None:
    """Notes for the rules of the desk what of an order is done in full now and was not before."""
    changes = changes_of(session)
    for name, event in REACHED.items():
        if after[name] == Extent.ALL and before[name] != Extent.ALL:
            changes.happened(order_id, event)


def _standing(order: Order) -> dict[str, str]:
    """Returns what webhooks tell of an order."""
    return {
        "tray": order.tray,
        "words": order.words,
        "reserved": order.fact_reserved,
        "picked": order.fact_picked,
        "shipped": order.fact_shipped,
        "invoiced": order.fact_invoiced,
        "paid": order.fact_paid,
    }


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
