"""Keeps what the worker has to do at which time."""

import heapq
from dataclasses import dataclass, field

from relvan.core.waking import Task


@dataclass
class Agenda:
    """The tasks that are due, each at one time: the earliest that was asked for. Times are seconds
    of whatever clock the caller reads.

    >>> from relvan.core.waking import Work
    >>> agenda = Agenda()
    >>> agenda.put((Work.JOBS, 0), 9.0)
    >>> agenda.put((Work.JOBS, 0), 4.0)
    >>> agenda.take(5.0), agenda.next_at()
    ([(<Work.JOBS: 'jobs'>, 0)], None)
    """

    _due: dict[Task, float] = field(default_factory=dict)
    _heap: list[tuple[float, Task]] = field(default_factory=list)

    def put(self, task: Task, at: float) -> None:
        """Puts a task down for a time; an earlier time that was asked for before stays."""
        if at < self._due.get(task, float("inf")):
            self._due[task] = at
            heapq.heappush(self._heap, (at, task))

    def take(self, now: float) -> list[Task]:
        """Returns the tasks that are due and removes them from the agenda."""
        found = []
        while self._heap and self._heap[0][0] <= now:
            at, task = heapq.heappop(self._heap)
            if self._due.get(task) == at:
                del self._due[task]
                found.append(task)
        return found

    def next_at(self) -> float | None:
        """Returns when the next task is due, or None when there is none."""
        while self._heap and self._due.get(self._heap[0][1]) != self._heap[0][0]:
            heapq.heappop(self._heap)
        return self._heap[0][0] if self._heap else None

    def knows(self, task: Task) -> bool:
        """Says whether a task is on the agenda."""
        return task in self._due
