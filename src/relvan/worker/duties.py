"""Keeps up a worker's share of the duties while it lives."""

import logging
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from relvan.core.duties import JOBS, LEASE
from relvan.services.duties import Share, leave_duties, take_duty, take_share
from relvan.services.workplace import Workplace

log = logging.getLogger("relvan.worker")
BEAT_S = 4.0
SURE_S = (
    LEASE.total_seconds() - 2 * BEAT_S
)  # not having been able to say that we live, we stop before others take over


class Duties:
    """What this worker may begin, brought up to date every few seconds."""

    def __init__(self, workplace: Workplace, worker: str, busy: Callable[[], set[str]]) -> None:
        self.workplace, self.worker, self.busy = workplace, worker, busy
        self.share = Share()
        self._sure_until = 0.0
        self._one_at_a_time = threading.Lock()

    def holds(self, duty: str) -> bool:
        """Whether this worker may begin something. A duty that is new is asked for at once."""
        if duty not in self.share.known:
            self.beat()
        return duty in self.share.mine and time.monotonic() < self._sure_until

    def beat(self) -> None:
        """Say that this worker lives; and what it has from now on."""
        with self._one_at_a_time:
            began = time.monotonic()
            try:
                self.share = take_share(self.workplace, self.worker, busy=self.busy())
            except Exception:  # the database is away; what is held is held for a while yet
                log.exception("The duties of %s could not be kept", self.worker)
                return
            self._sure_until = began + SURE_S

    def keep(self, stopped: threading.Event) -> None:
        """Beat until stopped."""
        while not stopped.wait(BEAT_S):
            self.beat()

    def leave(self) -> None:
        """Let others take over at once."""
        try:
            leave_duties(self.workplace, self.worker)
        except Exception:
            log.exception("%s could not say that it goes", self.worker)


@contextmanager
def working_alone(workplace: Workplace, name: str) -> Iterator[bool]:
    """A command that works on bulk jobs by itself, while no worker does: whether it may."""
    if not take_duty(workplace, name, JOBS):
        yield False
        return
    ended = threading.Event()

    def keep() -> None:
        while not ended.wait(BEAT_S):
            try:
                take_duty(workplace, name, JOBS)
            except Exception:  # the next beat is soon enough
                log.exception("%s could not say that it goes on", name)

    keeping = threading.Thread(target=keep, daemon=True)
    keeping.start()
    try:
        yield True
    finally:
        ended.set()
        keeping.join()
        leave_duties(workplace, name)
