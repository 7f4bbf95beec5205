"""Orders that wait to be taken together with others that come at the same time."""

import threading
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.orders.intake import IncomingOrder

AT_ONCE = 50


@dataclass(eq=False)
class Arrival:
    """One order that is to be taken. When it is `settled`, it has our number where there was news,
    or the reason why it could not be taken."""

    order: IncomingOrder
    settled: bool = False
    number: str | None = None
    error: Exception | None = None


class Rush:
    """The orders that wait for their turn, by channel; each workplace has one. One thread at a time
    takes what waits of a channel; orders that come meanwhile wait, and one of their threads takes
    the next."""

    def __init__(self) -> None:
        self._waiting: dict[int, list[Arrival]] = defaultdict(list)
        self._busy: set[int] = set()
        self._turn = threading.Condition()

    def __len__(self) -> int:
        """How many orders wait."""
        with self._turn:
            return sum(map(len, self._waiting.values()))

    def come(self, channel_id: int, order: IncomingOrder) -> Arrival:
        """Adds an order to those that wait."""
        one = Arrival(order)
        with self._turn:
            self._waiting[channel_id].append(one)
        return one

    def next_ones(self, channel_id: int, mine: Arrival) -> list[Arrival]:
        """Returns the orders that are to be taken now, in the order in which they came; None when
        another thread has settled this one. They must be given back by `settled`."""
        with self._turn:
            self._turn.wait_for(lambda: mine.settled or channel_id not in self._busy)
            if mine.settled:
                return []
            self._busy.add(channel_id)
            some = self._waiting[channel_id][:AT_ONCE]
            del self._waiting[channel_id][:AT_ONCE]
            return some

    def settled(self, channel_id: int, some: Sequence[Arrival]) -> None:
        """Notes that these orders have been taken or could not be, so that the next ones may be."""
        with self._turn:
            for one in some:
                one.settled = True
            self._busy.discard(channel_id)
            self._turn.notify_all()
