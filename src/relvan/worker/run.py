"""The worker process: Huey's consumer for what is woken, and a schedule that finds whatever was not.

One round per channel at a time. Killed at any moment, the next start goes on where this one stood. Several workers
share the duties; should two for a moment work on the same, what each takes is its own, so that nothing goes out twice.
"""

import fcntl
import gc
import logging
import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO
from urllib.parse import quote

from huey.consumer import Consumer

from relvan.core.duties import HOLD_BACKS, JOBS, SALES, channel_duty, listener_duty
from relvan.core.listings.rulebook import Rulebook
from relvan.services.channels.editions import take_up_editions
from relvan.services.jobs.work import work_next
from relvan.services.listeners.deliver import tell_listener
from relvan.services.listings.pages import look_for_pages
from relvan.services.listings.standing import read_standing
from relvan.services.orders.read import read_orders
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.services.prices.sales import turn_sales
from relvan.services.stock.hold_backs import bring_hold_backs_along, mind_silence
from relvan.services.workplace import Workplace
from relvan.settings import Settings
from relvan.store.channels import channels
from relvan.store.listeners import due_listeners
from relvan.store.schema import bring_up_to_date
from relvan.worker.duties import Duties
from relvan.worker.queue import open_queue, quieten, register_delivery

log = logging.getLogger("relvan.worker")
TICK_S = 0.2
SEEK_EVERY_S = 2.0
RECLAIM_EVERY_S = 30.0
MIND_EVERY_S = 5.0
HOLD_BACKS_EVERY_S = 900.0
MOST_ROUNDS = 200


class Rounds:
    """One kind of round for every channel, never two at once for the same channel."""

    def __init__(self, deed: Callable[[int], None], duty: Callable[[int], str] = channel_duty) -> None:
        self.deed, self.duty = deed, duty
        self._locks: dict[int, threading.Lock] = {}
        self._again: set[int] = set()

    def run(self, channel_id: int) -> None:
        """Run a round; when one is running, it runs once more after it."""
        lock = self._locks.setdefault(channel_id, threading.Lock())
        self._again.add(channel_id)
        while channel_id in self._again and lock.acquire(blocking=False):
            self._again.discard(channel_id)
            try:
                self.deed(channel_id)
            except Exception:  # one channel's trouble must not stop the others
                log.exception("A round for channel %s failed", channel_id)
            finally:
                lock.release()

    def running(self, channel_id: int) -> bool:
        """Whether a round runs for a channel just now."""
        lock = self._locks.get(channel_id)
        return lock is not None and lock.locked()

    def busy(self) -> set[str]:
        """The duties for which a round runs just now."""
        return {self.duty(which) for which, lock in list(self._locks.items()) if lock.locked()}


class Worker:
    """Delivers and reads for every channel until it is stopped."""

    def __init__(self, workplace: Workplace, name: str = "") -> None:
        self.workplace, self.name = workplace, name or workplace.settings.worker_name
        self.stopped = threading.Event()
        self.deliveries = Rounds(self._deliver)
        self.readings = Rounds(self._read)
        self.looks = Rounds(self._look)
        self.seeks = Rounds(self._seek)
        self.announcements = Rounds(self._announce, listener_duty)
        self.duties = Duties(workplace, self.name, self._busy)
        self._alone: set[str] = set()
        self._threads: list[threading.Thread] = []
        self._rounds: list[threading.Thread] = []
        self._rounds_lock = threading.Lock()
        self._read_at: dict[tuple[str, int], float] = {}

    def start(self) -> None:
        """Take back what an earlier worker of this name left, and start the schedule."""
        reclaim(self.workplace, self.name)
        self.duties.beat()
        for target in (
            self._keep_duties,
            self._keep_delivering,
            self._keep_reading,
            self._keep_looking,
            self._keep_working,
            self._keep_announcing,
            self._keep_holding_back,
        ):
            thread = threading.Thread(target=target, daemon=True, name=target.__name__)
            thread.start()
            self._threads.append(thread)

    def stop(self) -> None:
        """Finish the present rounds and stop."""
        self.stopped.set()
        for thread in [*self._threads, *self._rounds]:
            thread.join(timeout=15)
        self.duties.leave()

    def deliver(self, channel_id: int) -> None:
        """A round for a channel of which there is a note in the queue; if it is another worker's, that one finds what
        there is by its schedule."""
        if self.duties.holds(channel_duty(channel_id)):
            self.deliveries.run(channel_id)

    def _busy(self) -> set[str]:
        rounds = (self.deliveries, self.readings, self.looks, self.seeks, self.announcements)
        return self._alone.union(*(one.busy() for one in rounds))

    def _keep_duties(self) -> None:
        self.duties.keep(self.stopped)

    def _may_go_on(self, duty: str) -> bool:
        return not self.stopped.is_set() and self.duties.holds(duty)

    def _deliver(self, channel_id: int) -> None:
        for _ in range(MOST_ROUNDS):
            if not self._may_go_on(channel_duty(channel_id)):
                return
            delivery = deliver_next(self.workplace, channel_id, self.name)
            if not delivery.sent or delivery.wait_s:
                return

    def _read(self, channel_id: int) -> None:
        read_orders(self.workplace, channel_id)

    def _look(self, channel_id: int) -> None:
        read_standing(self.workplace, channel_id)

    def _seek(self, channel_id: int) -> None:
        while look_for_pages(self.workplace, channel_id) and self._may_go_on(channel_duty(channel_id)):
            pass

    def _announce(self, listener_id: int) -> None:
        while tell_listener(self.workplace, listener_id) and self._may_go_on(listener_duty(listener_id)):
            pass

    def _keep_announcing(self) -> None:
        """Changes, to the seller's own tools; one that is slow keeps no other waiting."""
        while not self.stopped.wait(TICK_S):
            try:
                with self.workplace.database.reading() as session:
                    due = due_listeners(session, self.workplace.now())
            except Exception:
                log.exception("The listeners could not be read")
                self.stopped.wait(1)
                continue
            for listener_id in due:
                if not self.announcements.running(listener_id) and self.duties.holds(listener_duty(listener_id)):
                    self._start_round(self.announcements, listener_id)

    def _keep_delivering(self) -> None:
        reclaimed_at = time.monotonic()
        while not self.stopped.wait(TICK_S):
            if time.monotonic() - reclaimed_at > RECLAIM_EVERY_S:
                reclaimed_at = time.monotonic()
                reclaim(self.workplace)
            self._for_each_channel(self.deliveries)

    def _keep_reading(self) -> None:
        while not self.stopped.wait(TICK_S / 2):
            self._for_each_channel(self.readings, due=self._orders_are_due)

    def _keep_looking(self) -> None:
        """What each channel shows of our listings: what lapsed or was taken down there is noticed. And pages of its
        catalogue for listings that need one."""
        while not self.stopped.wait(TICK_S * 5):
            self._turn()
            self._for_each_channel(self.looks, due=self._a_look_is_due)
            self._for_each_channel(self.seeks, due=self._a_search_is_due)

    def _turn(self) -> None:
        """What starts or ends by itself at its time."""
        try:
            while self._may_go_on(SALES) and turn_sales(self.workplace):
                pass
        except Exception:
            log.exception("Sale prices could not be started or ended")

    def _keep_holding_back(self) -> None:
        """What is held back by risk: at once when a channel falls silent or is heard again, else now and then."""
        brought_at = -HOLD_BACKS_EVERY_S
        while not self.stopped.wait(MIND_EVERY_S):
            try:
                if not self._may_go_on(HOLD_BACKS):
                    continue
                mind_silence(self.workplace)
                if time.monotonic() - brought_at > HOLD_BACKS_EVERY_S:
                    bring_hold_backs_along(self.workplace)
                    brought_at = time.monotonic()
            except Exception:
                log.exception("Hold-backs by risk could not be kept up")

    def _keep_working(self) -> None:
        """Bulk jobs, one at a time: the outbox and the orders go on beside them."""
        while not self.stopped.wait(TICK_S):
            self._alone.add(JOBS)  # said before it is asked, so that nobody else begins in between
            try:
                while self._may_go_on(JOBS) and work_next(self.workplace, stopped=self._is_to_leave_jobs):
                    pass
            except Exception:
                log.exception("Bulk jobs could not be worked on")
                self.stopped.wait(1)
            finally:
                self._alone.discard(JOBS)

    def _is_to_leave_jobs(self) -> bool:
        return not self._may_go_on(JOBS)

    def _orders_are_due(self, channel_id: int, book: Rulebook) -> bool:
        return self._is_due("orders", channel_id, book.orders.poll_every_s)

    def _a_look_is_due(self, channel_id: int, book: Rulebook) -> bool:
        return self._is_due("shown", channel_id, book.listings.read_every_s)

    def _a_search_is_due(self, channel_id: int, book: Rulebook) -> bool:
        return book.pages is not None and self._is_due("pages", channel_id, SEEK_EVERY_S)

    def _is_due(self, what: str, channel_id: int, every_s: float) -> bool:
        now = time.monotonic()
        if now - self._read_at.get((what, channel_id), 0.0) < every_s:
            return False
        self._read_at[what, channel_id] = now
        return True

    def _for_each_channel(self, rounds: Rounds, due: Callable[[int, Rulebook], bool] | None = None) -> None:
        """Run a round for every channel side by side, so that a slow one keeps no other waiting."""
        try:
            with self.workplace.database.reading() as session:
                books = self.workplace.rulebooks.by_key
                found = [(c.id, books[c.rulebook]) for c in channels(session) if c.rulebook in books]
        except Exception:
            log.exception("The channels could not be read")
            self.stopped.wait(1)
            return
        for channel_id, book in found:
            if not self.duties.holds(channel_duty(channel_id)):
                continue
            if (due is None or due(channel_id, book)) and not rounds.running(channel_id):
                self._start_round(rounds, channel_id)

    def _start_round(self, rounds: Rounds, channel_id: int) -> None:
        thread = threading.Thread(target=rounds.run, args=(channel_id,), daemon=True)
        thread.start()
        with self._rounds_lock:
            self._rounds = [*(running for running in self._rounds if running.is_alive()), thread]


@contextmanager
def only_one(settings: Settings) -> Iterator[IO[str]]:
    """One worker of a name in a data folder: a second one waits until the first has gone."""
    settings.data_dir.mkdir(parents=True, exist_ok=True)
    name = quote(settings.worker_name, safe="")
    with open(settings.data_dir / f"worker-{name}.lock", "w") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        file.write(str(os.getpid()))
        file.flush()
        yield file


def run_worker(settings: Settings) -> None:
    """Run until interrupted."""
    with only_one(settings):
        queue = open_queue(settings)
        workplace = Workplace(settings)
        bring_up_to_date(workplace.database)
        take_up_editions(workplace)
        worker = Worker(workplace)
        register_delivery(queue, worker.deliver)
        gc.collect()
        gc.freeze()  # what is there from the start need not be gone through for cycles again and again
        worker.start()
        quieten()
        consumer = Consumer(queue, workers=4, periodic=False, initial_delay=0.05, backoff=1.15, max_delay=0.2)
        try:
            consumer.run()
        finally:
            worker.stop()
            workplace.close()
