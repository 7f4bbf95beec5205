"""Takes over what a channel tells of the lines of an order that was taken before: units that its buyer
took off. What is picked or has left is laid before the team.
"""

from relvan.core.orders.changing import words_of_late_line
from relvan.core.orders.intake import IncomingOrder
from relvan.core.orders.late_changes import NoticeKind
from relvan.services.orders.line_changes import line_standing, sold_lines, take_off_in
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.notices import decided_units, put_late_notice
from relvan.store.session import Session
from relvan.store.tables import Order, OrderNotice


def take_told_lines(
    session: Session, workplace: Workplace, order: Order, incoming: IncomingOrder
) -> bool:
    """Takes units off lines of which the channel tells fewer than we hold; returns whether anything
    changed. What we took off ourselves is not taken off once more: the channel may not know of it
    yet, and then tells more than we hold."""
    if order.cancelled_at is not None:
        return False
    told = {line.channel_line: line.quantity for line in incoming.lines if line.channel_line}
    wanted, late = [], []
    decided = decided_units(session, order.id)
    for line, parts in sold_lines(session, order).values():
        less = line.quantity - told.get(line.channel_line, line.quantity)
        less -= decided.get(line.position, 0)
        if less <= 0:
            continue
        standing = line_standing(line, parts)
        units = min(less, line.quantity - max(standing.picked, standing.invoiced))
        if units > 0:
            wanted.append((line, units))
        if units < less:
            too_late = less - max(0, units)
            words = words_of_late_line(standing, too_late)
            late.append(
                OrderNotice(
                    order_id=order.id,
                    words=words,
                    at=workplace.now(),
                    kind=NoticeKind.TAKEN_OFF,
                    line=line.position,
                    units=too_late,
                )
            )
    if wanted:
        take_off_in(session, workplace, SYSTEM, order, wanted)
    for one in late:
        put_late_notice(session, one)
    return bool(wanted)
