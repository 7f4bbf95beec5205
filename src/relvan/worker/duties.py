"""Renews a worker's share of the duties as long as the worker runs."""

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
    """The duties that this worker may begin, brought up to date every few seconds."""

    def __init__(self, workplace: Workplace, worker: str, busy: Callable[[], set[str]]) -> None:
        self.workplace, self.worker, self.busy = workplace, worker, busy
        self.share = Share()
        self._sure_until = 0.0
        self._one_at_a_time = threading.Lock()

    def holds(self, duty: str) -> bool:
        """Says whether this worker may begin something. A duty that is new is asked for at once."""
        if duty not in self.share.known:
            self.beat()
        return duty in self.share.mine and time.monotonic() < self._sure_until

    def beat(self) -> None:
        """Records that this worker runs, and takes over the duties that it has from now on."""
        with self._one_at_a_time:
            began = time.monotonic()
            try:
                self.share = take_share(self.workplace, self.worker, busy=self.busy())
            except Exception:  # the database is away; what is held is held for a while yet
                log.exception("The duties of %s could not be kept", self.worker)
                return
            self._sure_until = began + SURE_S

    def keep(self, stopped: threading.Event) -> None:
        """Calls `beat` regularly until stopped."""
        while not stopped.wait(BEAT_S):
            self.beat()

    def leave(self) -> None:
        """Gives the duties up, so that other workers take over at once."""
        try:
            leave_duties(self.workplace, self.worker)
        except Exception:
            log.exception("%s could not say that it goes", self.worker)


@contextmanager
def working_alone(workplace: Workplace, name: str) -> Iterator[bool]:
    """Says whether a command may work on bulk jobs by itself, which it may while no worker does."""
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
