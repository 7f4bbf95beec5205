"""Runs the rounds of the worker, one at a time for each channel or webhook."""

import logging
import threading
from collections.abc import Callable

from relvan.core.duties import channel_duty

log = logging.getLogger("relvan.worker")


class Rounds:
    """The rounds of one kind. Two never run at once for the same channel or webhook."""

    def __init__(
        self, deed: Callable[[int], float | None], duty: Callable[[int], str] = channel_duty
    ) -> None:
        self.deed, self.duty = deed, duty
        self._locks: dict[int, threading.Lock] = {}
        self._again: set[int] = set()

    def run(self, which: int) -> float | None:
        """Runs a round. When one is running already, that one runs once more, and this call returns
        at once. It returns the seconds after which the round wants to be called again.
        """
        lock = self._locks.setdefault(which, threading.Lock())
        self._again.add(which)
        wait_s: float | None = None
        while which in self._again and lock.acquire(blocking=False):
            self._again.discard(which)
            try:
                wait_s = self.deed(which)
            except Exception:  # one channel's trouble must not stop the others
                log.exception("A round for channel %s failed", which)
            finally:
                lock.release()
        return wait_s

    def running(self, which: int) -> bool:
        """Says whether a round is running."""
        lock = self._locks.get(which)
        return lock is not None and lock.locked()

    def busy(self) -> set[str]:
        """Returns the duties for which a round is running."""
        return {self.duty(which) for which, lock in list(self._locks.items()) if lock.locked()}
