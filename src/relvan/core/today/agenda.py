"""What waits for a person, in the order in which it costs money to wait."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from relvan.core.people.roles import Role

SOON = timedelta(hours=4)


class Matter(StrEnum):
    """The kinds of things that wait. Among those that nothing else tells apart, the first in this
    list costs most.
    """

    TO_SHIP = "to_ship"
    TO_PACK = "to_pack"
    PICKING = "picking"
    TO_PICK = "to_pick"
    SHORT = "short"
    INBOX = "inbox"
    TROUBLE = "trouble"
    REFUSED = "refused"
    DRIFT = "drift"
    BELOW = "below"
    BLOCKED = "blocked"
    OUTDATED = "outdated"
    FLOORED = "floored"
    READY = "ready"
    DRAFT = "draft"
    LACKING = "lacking"


DISPATCH = (Matter.TO_SHIP, Matter.TO_PACK, Matter.PICKING, Matter.TO_PICK)
ORDERS = (Matter.SHORT, Matter.INBOX)
LISTINGS = (Matter.REFUSED, Matter.DRIFT, Matter.OUTDATED, Matter.READY, Matter.DRAFT)
CATALOGUE = (*LISTINGS, Matter.BELOW, Matter.FLOORED, Matter.LACKING)
# what is whose: these come first for a role, all else after them
OWN: Mapping[Role, frozenset[Matter]] = {
    Role.OWNER: frozenset(Matter),
    Role.CATALOGUE: frozenset(CATALOGUE),
    Role.ORDERS: frozenset((*ORDERS, *DISPATCH, Matter.TROUBLE)),
    Role.WAREHOUSE: frozenset((*DISPATCH, Matter.BLOCKED)),
}
_RANK = {matter: rank for rank, matter in enumerate(Matter)}


@dataclass(frozen=True)
class Todo:
    """One kind of thing that waits: how much money it holds up in the seller's currency (minor
    units), since when, and until when it must be done.
    """

    matter: Matter
    money: int = 0
    since: datetime | None = None
    until: datetime | None = None

    def is_urgent(self, now: datetime) -> bool:
        """Says whether its time is nearly over, or past."""
        return self.until is not None and self.until - now <= SOON


def in_order(todos: Iterable[Todo], role: Role, now: datetime) -> list[Todo]:
    """Returns what waits in the order of a role: its own matters first; of these what is due within
    four hours, by its time; then what holds up money, the most first; then all else.
    """

    def key(todo: Todo) -> tuple[bool, int, float, int]:
        foreign = todo.matter not in OWN[role]
        if todo.until is not None and todo.is_urgent(now):
            return foreign, 0, todo.until.timestamp(), _RANK[todo.matter]
        if todo.matter in DISPATCH:  # sold already: the next parcel that leaves is the next money
            return foreign, 1, 0.0, _RANK[todo.matter]
        if todo.money:
            return foreign, 2, -todo.money, _RANK[todo.matter]
        return foreign, 3, 0.0, _RANK[todo.matter]

    return sorted(todos, key=key)
