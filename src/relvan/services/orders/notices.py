"""Says what lies before the team about an order, with what a person may choose about each of it."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.orders.late_changes import LateChoice, LateStanding, NoticeKind, choices_of
from relvan.core.people.roles import Right
from relvan.services.orders.line_changes import line_standing, sold_lines
from relvan.services.orders.returns import can_come_back
from relvan.services.orders.work_out import order_progress
from relvan.services.workplace import Actor, Workplace
from relvan.store.notices import delete_notices, notices_of
from relvan.store.orders import order_by_number
from relvan.store.session import Session
from relvan.store.tables import Order, OrderNotice


@dataclass(frozen=True)
class NoticeWithChoices:
    """A notice of an order, with what a person may choose about it."""

    notice: OrderNotice
    choices: tuple[LateChoice, ...]

    @property
    def is_seen_only(self) -> bool:
        """Says whether there is nothing to do about it but to have seen it."""
        return self.choices == (LateChoice.SEEN,)


def open_notices(session: Session, order: Order) -> list[NoticeWithChoices]:
    """Returns what lies before the team about an order, the newest first."""
    return [
        NoticeWithChoices(row, choices_of(NoticeKind(row.kind), late_standing(session, order, row)))
        for row in notices_of(session, order.id)
    ]


def late_standing(session: Session, order: Order, notice: OrderNotice) -> LateStanding:
    """Returns where the goods are that a notice is about."""
    kind = NoticeKind(notice.kind)
    if kind == NoticeKind.NOTE:
        return LateStanding()
    left = {line.position: units for line, units in can_come_back(session, order)}
    if kind == NoticeKind.TAKEN_OFF:
        here = _still_here(session, order, notice.line)
        return LateStanding(min(notice.units, here), min(notice.units, left.get(notice.line, 0)))
    facts = order_progress(session, order)
    return LateStanding(facts.units_picked - facts.units_shipped, sum(left.values()))


def _still_here(session: Session, order: Order, position: int) -> int:
    """Returns how many units of a line have not left."""
    line, parts = sold_lines(session, order)[position]
    return line.quantity - line_standing(line, parts).shipped


def see_notices(workplace: Workplace, actor: Actor, number: str) -> None:
    """Takes the notices of an order about which nothing is to be chosen off the desk, since somebody has
    seen them."""
    actor.must(Right.ORDERS)
    with workplace.database.writing() as session:
        found = open_notices(session, order_by_number(session, number))
        see_in(session, [one.notice for one in found if one.is_seen_only])


def see_in(session: Session, seen: Sequence[OrderNotice]) -> None:
    """Deletes notes that were seen inside a transaction; of changes of a channel it is kept that they
    were, so that the same news are not laid before the team again."""
    delete_notices(session, [row.id for row in seen if row.kind == NoticeKind.NOTE])
    for row in seen:
        if row.kind != NoticeKind.NOTE:
            row.choice = LateChoice.SEEN
