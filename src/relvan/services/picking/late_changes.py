"""Does what a person chooses where a channel changed an order after its goods were picked, invoiced or
have left. See docs/rules.md, “Changes of orders”.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from relvan.core.orders.late_changes import LateChoice, NoticeKind, refuse_choice
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.shipping.life import OPEN_SHIPMENTS, ShipmentState
from relvan.services import audit
from relvan.services.orders.invoices import Credit, credit_in
from relvan.services.orders.line_changes import (
    line_standing,
    sold_lines,
    take_off_in,
    take_off_open,
)
from relvan.services.orders.notices import late_standing, see_in
from relvan.services.orders.returns import can_come_back, expect_in, refund_unreturned
from relvan.services.orders.work_out import work_out_orders
from relvan.services.picking.put_back import put_back_in
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import is_packed
from relvan.store.invoices import credited_units, invoices_of_order, lines_of_invoice
from relvan.store.notices import notice_by_id
from relvan.store.orders import order_by_number, shipments_of
from relvan.store.picking import done_picks_of
from relvan.store.returns import open_shipment_lines
from relvan.store.session import Session
from relvan.store.tables import Order, OrderLine, OrderNotice

# why goods come back, or are given back for, as a return says it
REASONS = {
    NoticeKind.CANCELLED: "its channel cancelled the order",
    NoticeKind.ADDRESS: "its channel changed the address",
    NoticeKind.TAKEN_OFF: "its buyer took it off",
}
WITHOUT_PARCEL = (ShipmentState.PICKING, ShipmentState.TO_PACK)


@dataclass(frozen=True)
class _Late:
    """A late change that is decided inside a transaction: by whom, of which order, and the notice."""

    session: Session
    workplace: Workplace
    actor: Actor
    order: Order
    notice: OrderNotice

    @property
    def kind(self) -> NoticeKind:
        return NoticeKind(self.notice.kind)

    def left(self) -> dict[int, int]:
        """Returns the units that have left and are not expected back, by position, as far as this is
        about them."""
        if self.kind == NoticeKind.TAKEN_OFF:
            return {self.notice.line: self.notice.units}
        return {line.position: units for line, units in can_come_back(self.session, self.order)}


def decide_late_change(
    workplace: Workplace, actor: Actor, number: str, notice_id: int, choice: str
) -> str:
    """Does what a person chose about a notice of an order; returns the choice that holds. Repeated, or
    after another has chosen, it changes nothing.

    Raises:
        Refused: if this cannot be chosen, or goods that must go back are packed.
    """
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        order = order_by_number(session, number)
        notice = notice_by_id(session, order.id, notice_id)
        if notice.choice is not None:
            return notice.choice
        late = _Late(session, workplace, actor, order, notice)
        standing = late_standing(session, order, notice)
        chosen, refusals = refuse_choice(choice, late.kind, standing)
        refuse_if_any(refusals)
        assert chosen is not None
        if chosen == LateChoice.SEEN:
            see_in(session, [notice])
            return chosen
        subject = audit.Subject("order", order.id)
        changes: audit.Changes = {"choice": ("", str(chosen))}
        audit.record(session, actor, workplace.now(), subject, notice.words, changes)
        rest = _rest_of(late, standing.waiting or standing.left)
        notice.choice = chosen
        session.flush()
        _DO[chosen](late)
        session.add_all(rest)
        if chosen == LateChoice.PUT_BACK and can_come_back(session, order):
            notice.choice = None  # it is still to be chosen what follows for what has left
        work_out_orders(session, workplace, actor, [order])
        return chosen


def _rest_of(late: _Late, units: int) -> list[OrderNotice]:
    """Lets a notice be about so many units; returns a notice of its own about what it says of more."""
    notice, rest = late.notice, late.notice.units - units
    if late.kind != NoticeKind.TAKEN_OFF or rest <= 0:
        return []
    notice.units = units
    return [
        OrderNotice(
            order_id=notice.order_id,
            words=notice.words,
            at=notice.at,
            kind=notice.kind,
            line=notice.line,
            units=rest,
        )
    ]


def _put_back(late: _Late) -> None:
    late.actor.must(Right.DISPATCH)
    shipments = [
        one
        for one in shipments_of(late.session, [late.order.id])[late.order.id]
        if one.state in OPEN_SHIPMENTS
    ]
    put_back_in(late.session, late.workplace, late.actor, late.order, shipments)


def _recall(late: _Late) -> None:
    units = late.left()
    reason = f"called back: {REASONS[late.kind]}"
    expect_in(late.session, late.workplace, late.actor, late.order, units, reason)


def _refund(late: _Late) -> None:
    units = late.left()
    reason = f"stays with the buyer: {REASONS[late.kind]}"
    refund_unreturned(late.session, late.workplace, late.actor, late.order, units, reason)


def _let_go(late: _Late) -> None:
    """Lets a cancelled order stand as far as it has left; of other changes nothing follows."""
    if late.kind != NoticeKind.CANCELLED:
        return
    late.order.cancelled_at = None
    take_off_open(late.session, late.workplace, late.actor, late.order)


def _take_off(late: _Late) -> None:
    """Takes units off a line of which some are picked or invoiced: their picks are taken back, and a
    credit note gives back what stands on an invoice."""
    line, parts = sold_lines(late.session, late.order)[late.notice.line]
    units, standing = late.notice.units, line_standing(line, parts)
    picked = max(0, units - (line.quantity - standing.picked))
    for goods in parts or [line]:
        _unpick(late, goods, picked * (goods.quantity // line.quantity))
    if invoiced := max(0, units - (line.quantity - standing.invoiced)):
        _credit(late, line, invoiced)
    late.session.flush()
    take_off_in(late.session, late.workplace, late.actor, late.order, [(line, units)])


def _unpick(late: _Late, line: OrderLine, units: int) -> None:
    """Takes back the picks of units of a line; they lie in their bins again.

    Raises:
        Refused: if they are packed, or a marketplace's centre has them.
    """
    for row, shipment in open_shipment_lines(late.session, line.id):
        if shipment.state not in WITHOUT_PARCEL or is_packed(late.session, shipment.id):
            continue
        less = min(units, row.picked)
        row.picked -= less
        line.picked -= less
        units -= less
        for pick in done_picks_of(late.session, row.id):
            part = min(less, pick.picked or 0)
            less -= part
            if part == pick.quantity:
                late.session.delete(pick)
            elif part:
                pick.picked, pick.quantity = (pick.picked or 0) - part, pick.quantity - part
    if units:
        message = f"{units} of {line.sku} {'is' if units == 1 else 'are'} packed already."
        raise refuse("packed", message, "Unpack the parcel first, or let it go.", "choice")


def _credit(late: _Late, line: OrderLine, units: int) -> None:
    for invoice in invoices_of_order(late.session, late.order.id):
        if invoice.kind != "invoice" or not units:
            continue
        credited = credited_units(late.session, invoice.id)
        for one in lines_of_invoice(late.session, invoice.id):
            part = min(units, one.quantity - credited.get(one.position, 0))
            if one.order_line_id == line.id and part > 0:
                wish = Credit(REASONS[late.kind], {one.position: part}, again=True)
                credit_in(late.session, late.workplace, late.actor, invoice, wish)
                units -= part


_DO: Mapping[LateChoice, Callable[[_Late], None]] = {
    LateChoice.PUT_BACK: _put_back,
    LateChoice.TAKE_OFF: _take_off,
    LateChoice.RECALL: _recall,
    LateChoice.REFUND: _refund,
    LateChoice.LET_GO: _let_go,
}
