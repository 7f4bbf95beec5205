"""What waits for a person, in the order in which it costs money to wait."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from relvan.core.people.roles import Role

SOON = timedelta(hours=4)


class TaskKind(StrEnum):
    """The kinds of things that wait. Among those that nothing else tells apart, the first in this
    list costs most.
    """

    TO_SHIP = "to_ship"
    TO_PACK = "to_pack"
    PICKING = "picking"
    TO_PICK = "to_pick"
    TO_HAND_OVER = "to_hand_over"
    LATE_PARCEL = "late_parcel"
    UNKNOWN = "unknown"
    NOTICED = "noticed"
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


DISPATCH = (
    TaskKind.TO_SHIP,
    TaskKind.TO_PACK,
    TaskKind.PICKING,
    TaskKind.TO_PICK,
    TaskKind.TO_HAND_OVER,
)
ORDERS = (TaskKind.UNKNOWN, TaskKind.NOTICED, TaskKind.SHORT, TaskKind.INBOX)
LISTINGS = (TaskKind.REFUSED, TaskKind.DRIFT, TaskKind.OUTDATED, TaskKind.READY, TaskKind.DRAFT)
CATALOGUE = (*LISTINGS, TaskKind.BELOW, TaskKind.FLOORED, TaskKind.LACKING)
# what is whose: these come first for a role, all else after them
OWN: Mapping[Role, frozenset[TaskKind]] = {
    Role.OWNER: frozenset(TaskKind),
    Role.CATALOGUE: frozenset(CATALOGUE),
    Role.ORDERS: frozenset((*ORDERS, *DISPATCH, TaskKind.LATE_PARCEL, TaskKind.TROUBLE)),
    Role.WAREHOUSE: frozenset((*DISPATCH, TaskKind.LATE_PARCEL, TaskKind.BLOCKED)),
}
_RANK = {kind: rank for rank, kind in enumerate(TaskKind)}


@dataclass(frozen=True)
class Task:
    """One kind of thing that waits: how much money it holds up in the seller's currency (minor
    units), since when, and until when it must be done.
    """

    kind: TaskKind
    money: int = 0
    since: datetime | None = None
    until: datetime | None = None

    def is_urgent(self, now: datetime) -> bool:
        """Says whether its time is nearly over, or past."""
        return self.until is not None and self.until - now <= SOON


def in_order(tasks: Iterable[Task], role: Role, now: datetime) -> list[Task]:
    """Returns what waits in the order of a role: its own tasks first; of these what is due within
    four hours, by its time; then what holds up money, the most first; then all else.
    """

    def key(task: Task) -> tuple[bool, int, float, int]:
        foreign = task.kind not in OWN[role]
        if task.until is not None and task.is_urgent(now):
            return foreign, 0, task.until.timestamp(), _RANK[task.kind]
        if task.kind in DISPATCH:  # sold already: the next parcel that leaves is the next money
            return foreign, 1, 0.0, _RANK[task.kind]
        if task.money:
            return foreign, 2, -task.money, _RANK[task.kind]
        return foreign, 3, 0.0, _RANK[task.kind]

    return sorted(tasks, key=key)
