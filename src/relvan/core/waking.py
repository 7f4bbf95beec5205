"""The kinds of work that wake the worker, and what is due when.

What must happen lies in tables of our own. A signal only lets the worker see it sooner; when a signal is lost, the
worker finds the work by looking, every `SAFETY_S` seconds at the latest.
"""

import heapq
from dataclasses import dataclass, field
from enum import StrEnum


class Work(StrEnum):
    """A kind of work. The number that goes with a signal is a channel, a bulk job or a listener; 0 for the others."""

    DELIVER = "deliver"  # updates of a channel wait to be sent
    READ = "read"  # orders of a channel are to be read
    LOOK = "look"  # what a channel shows is to be compared with what was sent
    PAGES = "pages"  # listings of a channel need a page of its catalogue
    JOBS = "jobs"  # a bulk job is to be rehearsed, applied or undone
    ANNOUNCE = "announce"  # a webhook of the seller's has something to hear
    SALES = "sales"  # a sale price was planned or ended
    CHANNELS = "channels"  # a channel was connected, paused or let go on
    HOLD_BACKS = "hold-backs"  # quantities held back by risk are to be worked out anew
    RECLAIM = "reclaim"  # updates that a dead worker was sending are to be taken back


# seconds after which the worker looks by itself, should no signal have come
SAFETY_S = {
    Work.DELIVER: 5.0,
    Work.PAGES: 10.0,
    Work.JOBS: 5.0,
    Work.ANNOUNCE: 5.0,
    Work.SALES: 30.0,
    Work.CHANNELS: 5.0,
    Work.HOLD_BACKS: 5.0,
    Work.RECLAIM: 30.0,
}
Task = tuple[Work, int]


@dataclass
class Agenda:
    """What is due when: at most one time for each task, the earliest that was asked for. Times are seconds of whatever
    clock the caller reads.

    >>> agenda = Agenda()
    >>> agenda.put((Work.JOBS, 0), 9.0)
    >>> agenda.put((Work.JOBS, 0), 4.0)
    >>> agenda.take(5.0), agenda.next_at()
    ([(<Work.JOBS: 'jobs'>, 0)], None)
    """

    _due: dict[Task, float] = field(default_factory=dict)
    _heap: list[tuple[float, Task]] = field(default_factory=list)

    def put(self, task: Task, at: float) -> None:
        """Have a task done at a time, or sooner if that was asked for before."""
        if at < self._due.get(task, float("inf")):
            self._due[task] = at
            heapq.heappush(self._heap, (at, task))

    def take(self, now: float) -> list[Task]:
        """The tasks that are due, taken off the agenda."""
        found = []
        while self._heap and self._heap[0][0] <= now:
            at, task = heapq.heappop(self._heap)
            if self._due.get(task) == at:
                del self._due[task]
                found.append(task)
        return found

    def next_at(self) -> float | None:
        """When the next task is due; none when there is none."""
        while self._heap and self._due.get(self._heap[0][1]) != self._heap[0][0]:
            heapq.heappop(self._heap)
        return self._heap[0][0] if self._heap else None

    def knows(self, task: Task) -> bool:
        """Whether a task is on the agenda."""
        return task in self._due
