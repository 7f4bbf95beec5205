"""Notes payments of orders: firm ones, provisional ones that count when they are released, and
refunds.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from relvan.core.orders.facts import Extent
from relvan.core.orders.new import usual_method
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.orders.work_out import owed_by, work_out_orders
from relvan.services.verdicts import Verdict, for_each
from relvan.services.workplace import Actor, Workplace
from relvan.store.invoices import (
    charged_by_invoices,
    counted_payments,
    payment_by_id,
    payment_by_key,
)
from relvan.store.orders import lines_of, order_by_id, order_by_number
from relvan.store.session import Session
from relvan.store.tables import Order, OrderLine, PaymentRow

METHODS = ("transfer", "card", "cash", "direct debit", "cheque", "channel", "other")
STATES = ("firm", "provisional")
MOST_NOTE = 200
MOST_AMOUNT = 100_000_000_00


@dataclass(frozen=True)
class NewPayment:
    """A payment of an order: its amount in minor units of the order's currency (negative for a
    refund), how it was paid, whether it is firm or provisional, its day, a note, and the key by which
    whoever tells of it names it."""

    order: str
    amount: int
    method: str = "transfer"
    state: str = "firm"
    day: date | None = None
    note: str = ""
    key: str | None = None


def add_payment(workplace: Workplace, actor: Actor, wish: NewPayment) -> int:
    """Notes a payment; returns its id. One whose key is known already is not noted twice.

    Raises:
        Refused: if it cannot be, or if more would be refunded than was paid.
    """
    actor.must(Right.ORDERS)
    _check(wish)
    with workplace.database.writing() as session:
        if wish.key and (before := payment_by_key(session, wish.key)):
            return before.id
        order = order_by_number(session, wish.order)
        if wish.amount < 0 and order.paid + wish.amount < 0:
            message = "More cannot be refunded than was paid."
            raise refuse("out-of-range", message, "Correct the amount.", "amount")
        row = PaymentRow(
            order_id=order.id,
            amount=wish.amount,
            method=wish.method,
            state=wish.state,
            day=(wish.day or workplace.local_now().date()).isoformat(),
            note=wish.note.strip(),
            made_at=workplace.now(),
            key=wish.key,
        )
        session.add(row)
        deed = "refunded" if wish.amount < 0 else "paid"
        if wish.state == "provisional":
            deed = "provisional payment"
        _count(session, workplace, actor, order, deed)
        return row.id


def _check(wish: NewPayment) -> None:
    if not wish.amount or abs(wish.amount) > MOST_AMOUNT:
        raise refuse("out-of-range", "“Amount” must not be 0.", "Correct it.", "amount")
    for name, value, allowed in (("method", wish.method, METHODS), ("state", wish.state, STATES)):
        if value not in allowed:
            message = f"“{name}” must be one of {', '.join(allowed)}; it got “{value[:20]}”."
            raise refuse("not-allowed", message, "Choose one of them.", name)
    if len(wish.note) > MOST_NOTE:
        message = f"“Note” must have at most {MOST_NOTE} characters."
        raise refuse("too-long", message, "Shorten it.", "note")


def release_payments(workplace: Workplace, actor: Actor, ids: Sequence[int]) -> list[Verdict]:
    """Releases provisional payments, so that they count; returns a verdict for each by its id."""
    actor.must(Right.ORDERS)

    def deed(session: Session, payment_id: str) -> None:
        row = payment_by_id(session, int(payment_id))
        if row.state == "void":
            message = "This payment never came."
            raise refuse("void", message, "Note a new one.")
        if row.state != "provisional" or row.released_at is not None:
            return
        row.released_at = workplace.now()
        order = order_by_id(session, row.order_id)
        _count(session, workplace, actor, order, "payment released")

    return for_each(workplace, [str(one) for one in ids], deed)


def void_payment(workplace: Workplace, actor: Actor, payment_id: int) -> None:
    """Says that a provisional payment never came. One that counts is corrected by a refund."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = payment_by_id(session, payment_id)
        if row.state == "void":
            return
        if row.state != "provisional" or row.released_at is not None:
            message = "This payment counts already."
            raise refuse("counted", message, "Note a refund instead.")
        row.state = "void"
        order = order_by_id(session, row.order_id)
        _count(session, workplace, actor, order, "payment void")


def _count(session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str) -> None:
    """Brings along what is paid of an order."""
    session.flush()
    before, order.paid = order.paid, counted_payments(session, [order.id])[order.id]
    changes: audit.Changes = {"paid": (before, order.paid)} if before != order.paid else {}
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, deed, changes)
    work_out_orders(session, workplace, actor, [order])


def pay_in_full(session: Session, workplace: Workplace, order: Order) -> None:
    """Notes inside a transaction that a channel has been paid what is owed for an order. What was given
    back before is not paid once more."""
    order.paid = counted_payments(session, [order.id])[order.id]
    owed = owed_by(order)
    if owed > 0:
        session.add(channel_payment(workplace, order, owed))
        order.paid += owed


def give_back_by_channel(session: Session, workplace: Workplace, order: Order) -> None:
    """Notes inside a transaction that a channel gives back what its buyer had paid beyond what is owed
    now; it took the money, and does so when it is told."""
    beyond = -owed_by(order)
    if order.channel_id is not None and beyond > 0:
        session.add(channel_payment(workplace, order, -beyond))
        order.paid -= beyond


def settle_cancelled(session: Session, workplace: Workplace, orders: Sequence[Order]) -> None:
    """Notes inside a transaction that what of cancelled orders stands on no invoice is not owed any
    more. Where goods of an order have left, a person decides."""
    some = [order.id for order in orders if order.fact_shipped != Extent.NONE]
    left = {order_id for order_id, lines in lines_of(session, some).items() if any_shipped(lines)}
    waiting = [order for order in orders if order.id not in left]
    billed = [order.id for order in waiting if order.fact_invoiced != Extent.NONE]
    charged = charged_by_invoices(session, billed)
    for order in waiting:
        order.credited += max(0, order.total - order.credited - charged.get(order.id, 0))
        give_back_by_channel(session, workplace, order)


def any_shipped(lines: Sequence[OrderLine]) -> bool:
    """Says whether a unit of these lines has left."""
    return any(line.shipped for line in lines)


def channel_payment(workplace: Workplace, order: Order, amount: int) -> PaymentRow:
    """Returns the payment that a channel has taken for an order, or that came with it by hand."""
    return PaymentRow(
        order_id=order.id,
        amount=amount,
        method=usual_method(order.channel_id),
        state="firm",
        day=workplace.local_now().date().isoformat(),
        made_at=workplace.now(),
    )
