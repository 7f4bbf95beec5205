"""Returns: goods that are expected back, received into stock or not, and refunded in whole or part. The
channel is told of what is given back.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import order_subject
from relvan.core.orders.facts import Extent
from relvan.core.orders.returns import (
    ReturnState,
    ReturnTo,
    Worth,
    refund_of,
    refuse_refund,
    refuse_return,
)
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.setup.numbering import Series
from relvan.core.stock.movements import Reason
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.orders.invoices import Credit, credit_in
from relvan.services.orders.line_changes import line_standing, sold_lines
from relvan.services.orders.work_out import owed_by, work_out_orders
from relvan.services.outbox.tell import Telling, tell
from relvan.services.stock.move import MoveStock, move_in, note_movements
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_is_connected
from relvan.store.invoices import (
    counted_payments,
    credited_units,
    invoices_of_order,
    lines_of_invoice,
)
from relvan.store.orders import lines_of, order_by_id, order_by_number
from relvan.store.returns import (
    lines_of_return,
    return_by_number,
    returns_of_order,
    units_back,
)
from relvan.store.session import Session
from relvan.store.tables import InvoiceRow, Order, OrderLine, OrderReturn, PaymentRow, ReturnLine


@dataclass(frozen=True)
class Refunded:
    """What was given back for a return, in minor units: by a credit note if it stood on an invoice,
    and of that as money that had been paid."""

    amount: int
    credit_note: str
    paid_back: int


@dataclass(frozen=True)
class Repayment:
    """How much is given back, in minor units, or None for all that goods came to; and how it is paid
    to whom no channel pays."""

    amount: int | None = None
    method: str = "transfer"


def expect_return(
    workplace: Workplace, actor: Actor, number: str, units: Mapping[int, int], reason: str
) -> str:
    """Notes that units of lines of an order, by their positions, are expected back; returns the number
    of the return.

    Raises:
        Refused: if more would come back than was shipped, or without a reason.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        return expect_in(session, workplace, actor, order, units, reason).number


def expect_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    units: Mapping[int, int],
    reason: str,
) -> OrderReturn:
    """Notes a return inside a transaction, as `expect_return` does."""
    lines = sold_lines(session, order)
    before = units_back(session, [line.id for line, _ in lines.values()])
    standing = {at: line_standing(line, parts) for at, (line, parts) in lines.items()}
    back = {at: before.get(line.id, 0) for at, (line, _) in lines.items()}
    refuse_if_any(refuse_return(standing, back, units, reason))
    row = OrderReturn(
        number=next_number(session, Series.RETURN, workplace.local_now()),
        order_id=order.id,
        state=ReturnState.EXPECTED,
        reason=reason.strip(),
        made_at=workplace.now(),
        person_id=actor.person_id,
    )
    session.add(row)
    session.flush()
    session.add_all(
        ReturnLine(return_id=row.id, order_line_id=lines[at][0].id, quantity=count)
        for at, count in units.items()
        if count
    )
    _note(session, workplace, actor, order, f"{row.number} expected: {row.reason}")
    session.flush()
    return row


def refund_unreturned(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    units: Mapping[int, int],
    reason: str,
) -> Refunded:
    """Gives back inside a transaction what units came to that stay with the buyer: as a return whose
    goods are written off. The channel is not told, since it asked for this."""
    row = expect_in(session, workplace, actor, order, units, reason)
    for held in lines_of_return(session, row.id):
        held.written_off = held.quantity
    row.state = ReturnState.RECEIVED
    session.flush()
    return _refund_in(session, workplace, actor, order, row, Repayment())


@dataclass(frozen=True)
class ArrivedGoods:
    """Units of a line that came back: where they go, and into which bin; without one, where most of
    the product lies. Goods that were handed over as a kit go as their parts."""

    position: int
    units: int
    to: ReturnTo = ReturnTo.STOCK
    bin: str = ""


def receive_return(
    workplace: Workplace,
    actor: Actor,
    number: str,
    arrived: Sequence[ArrivedGoods],
    warehouse: str,
    request_key: str = "",
) -> str:
    """Receives goods of a return, all at once or some at a time; returns the state of the return. The
    same `request_key` receives once.

    Raises:
        Refused: if more came than was expected, or the return has ended.
    """
    actor.must(Right.STOCK)
    with workplace.database.writing() as session:
        row = return_by_number(session, number)
        if request_key and row.received_key == request_key:
            return row.state
        if row.state not in (ReturnState.EXPECTED, ReturnState.RECEIVED):
            message = f"“{number}” is {row.state}."
            raise refuse("wrong-state", message, "Note a new return.")
        order = order_by_id(session, row.order_id)
        sold, held = sold_lines(session, order), lines_of_return(session, row.id)
        by_line = {one.order_line_id: one for one in held}
        key = request_key or f"{row.id}:{sum(one.received for one in held)}"
        moved: set[int] = set()
        for place, one in enumerate(arrived):
            line, parts = sold.get(one.position, (None, []))
            back = by_line.get(line.id) if line is not None else None
            if line is None or back is None:
                message = f"Line {one.position} is not expected back by “{number}”."
                raise refuse("not-found", message, "Load the return again.", "lines")
            _count(back, line, one)
            for goods in parts or [line]:
                units = one.units * (goods.quantity // line.quantity if parts else 1)
                wish = _Coming(goods, units, one, warehouse, f"return:{key}:{place}:{goods.id}")
                moved |= _into_stock(session, workplace, actor, wish, row.number)
        row.state, row.received_key = ReturnState.RECEIVED, request_key
        session.flush()
        if moved:
            note_movements(session, workplace, moved)
        count = sum(one.units for one in arrived)
        _note(
            session,
            workplace,
            actor,
            order,
            f"{count} {'unit' if count == 1 else 'units'} of {row.number} received",
        )
        return row.state


def _count(back: ReturnLine, line: OrderLine, one: ArrivedGoods) -> None:
    left = back.quantity - back.received
    if not 1 <= one.units <= left:
        message = f"{left} of {line.sku or line.title} are expected back; it got {one.units}."
        raise refuse("out-of-range", message, "Note what came beyond as a new return.", "lines")
    if one.to == ReturnTo.STOCK:
        back.to_stock += one.units
    elif one.to == ReturnTo.BLOCKED:
        back.to_blocked += one.units
    else:
        back.written_off += one.units


@dataclass(frozen=True)
class _Coming:
    goods: OrderLine
    units: int
    arrived: ArrivedGoods
    warehouse: str
    key: str


def _into_stock(
    session: Session, workplace: Workplace, actor: Actor, wish: _Coming, number: str
) -> set[int]:
    """Writes the movements of goods that came back; those that are written off never enter stock.
    Returns the products that moved."""
    goods, to = wish.goods, wish.arrived.to
    if to == ReturnTo.WRITTEN_OFF or not goods.stocked or goods.product_id is None:
        return set()
    for reason in (Reason.RETURN, Reason.BLOCK)[: 2 if to == ReturnTo.BLOCKED else 1]:
        move = MoveStock(
            goods.sku,
            wish.warehouse,
            reason,
            change=wish.units,
            bin=wish.arrived.bin,
            note=number,
            request_key=f"{wish.key}:{reason}",
        )
        move_in(session, workplace, actor, move)
    return {goods.product_id}


def refund_return(
    workplace: Workplace,
    actor: Actor,
    number: str,
    amount: int | None = None,
    method: str = "transfer",
) -> Refunded:
    """Gives back what received goods came to, or a part of it. What stood on an invoice is given back
    by a credit note; what was paid beyond what is owed then is paid back, and the channel is told.
    Repeated, it changes nothing.

    Raises:
        Refused: if nothing was received, or the amount is more than the goods came to.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = return_by_number(session, number)
        order = order_by_id(session, row.order_id)
        if row.state == ReturnState.REFUNDED:
            return Refunded(row.refunded, row.credit_note, 0)
        refunded = _refund_in(session, workplace, actor, order, row, Repayment(amount, method))
        _tell_refunds(session, workplace, order)
        return refunded


def _refund_in(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    row: OrderReturn,
    wish: Repayment,
) -> Refunded:
    worth = worth_of(session, order, row)
    needs = "" if worth else f"Nothing of “{row.number}” has been received."
    wanted = worth if wish.amount is None else wish.amount
    refuse_if_any(refuse_refund(wanted, worth, needs=needs))
    note = _credit(session, workplace, actor, order, row, None if wanted == worth else wanted)
    if note is None:
        order.credited += wanted
    given = note.payable if note else wanted
    paid_back = _pay_back(session, workplace, order, row, given, wish.method)
    row.state, row.refunded, row.ended_at = ReturnState.REFUNDED, given, workplace.now()
    row.credit_note = note.number if note else ""
    _note(session, workplace, actor, order, f"{row.number} refunded")
    work_out_orders(session, workplace, actor, [order])
    return Refunded(given, row.credit_note, paid_back)


def worth_of(session: Session, order: Order, row: OrderReturn) -> int:
    """Returns what the received goods of a return came to with tax, in minor units."""
    lines = {line.id: line for line in lines_of(session, [order.id])[order.id]}
    held = lines_of_return(session, row.id)
    before = units_back(session, [one.order_line_id for one in held], but=row.id)
    worth = []
    for one in held:
        line = lines[one.order_line_id]
        amount = line.unit_price * line.quantity - line.discount
        amount += 0 if order.with_tax else line.tax
        units = min(one.received, line.quantity - before.get(line.id, 0))
        worth.append(Worth(amount, line.quantity, before.get(line.id, 0), units))
    return refund_of(worth)


def _credit(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    order: Order,
    row: OrderReturn,
    amount: int | None,
) -> InvoiceRow | None:
    """Issues a credit note over received units that stand on an invoice of the order; None when none
    of them do. Units on several invoices are given back on the first that has them."""
    open_units = {one.order_line_id: one.received for one in lines_of_return(session, row.id)}
    for invoice in invoices_of_order(session, order.id):
        if invoice.kind != "invoice":
            continue
        credited = credited_units(session, invoice.id)
        units = {
            line.position: count
            for line in lines_of_invoice(session, invoice.id)
            if (
                count := min(
                    open_units.get(line.order_line_id or 0, 0),
                    line.quantity - credited.get(line.position, 0),
                )
            )
        }
        if units:
            wish = Credit(f"{row.number}: {row.reason}"[:200], units, amount=amount)
            return credit_in(session, workplace, actor, invoice, wish)
    return None


def _pay_back(
    session: Session,
    workplace: Workplace,
    order: Order,
    row: OrderReturn,
    given: int,
    method: str,
) -> int:
    """Notes the payment that goes back, as far as more was paid than is owed now."""
    amount = min(given, max(0, -owed_by(order)))
    if not amount:
        return 0
    session.add(
        PaymentRow(
            order_id=order.id,
            amount=-amount,
            method="channel" if order.channel_id is not None else method,
            state="firm",
            day=workplace.local_now().date().isoformat(),
            note=row.number,
            made_at=workplace.now(),
            key=f"return:{row.id}",
        )
    )
    session.flush()
    order.paid = counted_payments(session, [order.id])[order.id]
    return amount


def _tell_refunds(session: Session, workplace: Workplace, order: Order) -> None:
    """Tells the channel what was given back of its order, each under a key of its own."""
    if order.channel_id is None or not order.channel_number:
        return
    if not channel_is_connected(session, order.channel_id):
        return
    refunds = {
        f"return-{row.id}": row.refunded
        for row in returns_of_order(session, order.id)
        if row.state == ReturnState.REFUNDED
    }
    subject = order_subject(order.channel_number)
    urgency = topic_urgency(Topic.REFUNDED)
    payload = {"refunds": refunds}
    telling = Telling(order.channel_id, subject, Topic.REFUNDED, urgency, payload=payload)
    tell(session, workplace, [telling])


def cancel_return(workplace: Workplace, actor: Actor, number: str) -> None:
    """Says that goods do not come back after all. Refused once some came."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        row = return_by_number(session, number)
        if row.state == ReturnState.CANCELLED:
            return
        if row.state != ReturnState.EXPECTED:
            message = f"“{number}” is {row.state}."
            raise refuse("wrong-state", message, "Refund what came.")
        row.state, row.ended_at = ReturnState.CANCELLED, workplace.now()
        order = order_by_id(session, row.order_id)
        _note(session, workplace, actor, order, f"{row.number} cancelled")


def can_come_back(session: Session, order: Order) -> list[tuple[OrderLine, int]]:
    """Returns the lines of an order of which units can come back, with how many."""
    if order.fact_shipped == Extent.NONE:
        return []
    lines = sold_lines(session, order)
    before = units_back(session, [line.id for line, _ in lines.values()])
    found = [
        (line, line_standing(line, parts).shipped - before.get(line.id, 0))
        for line, parts in lines.values()
    ]
    return [(line, units) for line, units in found if units > 0]


def _note(session: Session, workplace: Workplace, actor: Actor, order: Order, deed: str) -> None:
    subject = audit.Subject("order", order.id)
    audit.record(session, actor, workplace.now(), subject, deed)
