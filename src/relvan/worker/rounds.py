"""Rounds of the worker: one for each channel or webhook at a time."""

import logging
import threading
from collections.abc import Callable

from relvan.core.duties import channel_duty

log = logging.getLogger("relvan.worker")


class Rounds:
    """One kind of round; never two at once for the same channel (or webhook, or for the one there
    is)."""

    def __init__(
        self, deed: Callable[[int], float | None], duty: Callable[[int], str] = channel_duty
    ) -> None:
        self.deed, self.duty = deed, duty
        self._locks: dict[int, threading.Lock] = {}
        self._again: set[int] = set()

    def run(self, which: int) -> float | None:
        """Run a round; when one is running, that one runs once more and this call comes back at
        once. What the deed says of when it wants to be called again, in seconds, is returned."""
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
        """Whether a round runs just now."""
        lock = self._locks.get(which)
        return lock is not None and lock.locked()

    def busy(self) -> set[str]:
        """The duties for which a round runs just now."""
        return {self.duty(which) for which, lock in list(self._locks.items()) if lock.locked()}
