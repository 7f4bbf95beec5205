"""Orders that wait to be taken together with others that come at the same time."""

import threading
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.orders.intake import IncomingOrder

AT_ONCE = 50


@dataclass(eq=False)
class Coming:
    """One order to be taken; when that is `settled`, our number where there was news, or why it could not be."""

    order: IncomingOrder
    settled: bool = False
    number: str | None = None
    error: Exception | None = None


class Rush:
    """The orders that wait for their turn, by channel; one of these for each workplace. One thread at a time takes what
    waits of a channel; those that come meanwhile wait, and one of them takes the next."""

    def __init__(self) -> None:
        self._waiting: dict[int, list[Coming]] = defaultdict(list)
        self._busy: set[int] = set()
        self._turn = threading.Condition()

    def __len__(self) -> int:
        """How many stand in line."""
        with self._turn:
            return sum(map(len, self._waiting.values()))

    def come(self, channel_id: int, order: IncomingOrder) -> Coming:
        """Stand in line."""
        one = Coming(order)
        with self._turn:
            self._waiting[channel_id].append(one)
        return one

    def next_ones(self, channel_id: int, mine: Coming) -> list[Coming]:
        """Those that are to be taken now, the first that came; none when mine has been settled by somebody else. They
        are to be given back as `settled`."""
        with self._turn:
            self._turn.wait_for(lambda: mine.settled or channel_id not in self._busy)
            if mine.settled:
                return []
            self._busy.add(channel_id)
            some = self._waiting[channel_id][:AT_ONCE]
            del self._waiting[channel_id][:AT_ONCE]
            return some

    def settled(self, channel_id: int, some: Sequence[Coming]) -> None:
        """These have been taken, or could not be; the next may be."""
        with self._turn:
            for one in some:
                one.settled = True
            self._busy.discard(channel_id)
            self._turn.notify_all()
