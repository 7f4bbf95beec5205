"""The worker process sleeps until something is due or a signal comes, and then carries it out.

What is due stands in an agenda (`worker/agenda.py`): the orders of each channel as often as its
rulebook says, updates when a signal told of them or when they are to be tried again, and every kind
of work now and then in case a signal was lost. Each round runs in a thread of its own, one at a
time for a channel. A worker that is killed at any moment continues at its next start where it
stood. Several workers share the duties. Should two of them work on the same for a moment, what each
takes is its own, so that nothing is sent twice.
"""

import fcntl
import logging
import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO
from urllib.parse import quote

from relvan.core.duties import HOLD_BACKS, JOBS, SALES, channel_duty, webhook_duty
from relvan.core.listings.rulebook import Rulebook
from relvan.core.refusal import DatabaseAway
from relvan.core.waking import SAFETY_S, Task, Work
from relvan.services.bulk.work import work_next
from relvan.services.channels.editions import take_up_editions
from relvan.services.disconnect import go_on_parting
from relvan.services.listings.hold_backs import bring_hold_backs_along, mind_silence
from relvan.services.listings.pages import look_for_pages
from relvan.services.listings.standing import read_standing
from relvan.services.mail.alerts import alert_of_unknown_lines
from relvan.services.mail.deliver import send_mails
from relvan.services.open import open_workplace
from relvan.services.orders.aside import mind_the_desk
from relvan.services.orders.read import read_orders
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.services.prices.sales import next_turn_s, turn_sales
from relvan.services.setup.backups import back_up_when_due
from relvan.services.setup.certificates import look_when_due
from relvan.services.shipping.centres import mind_centres
from relvan.services.shipping.tracking import follow_parcels
from relvan.services.uncollected import collect_seldom
from relvan.services.webhooks.deliver import tell_webhook
from relvan.services.workplace import Workplace
from relvan.settings import Settings
from relvan.store.channels import channels
from relvan.store.schema import bring_up_to_date
from relvan.store.webhooks import due_webhooks
from relvan.worker.agenda import Agenda
from relvan.worker.duties import Duties
from relvan.worker.quiet import Seldom
from relvan.worker.rounds import Rounds
from relvan.worker.signals import Signals, Waker, open_signals

log = logging.getLogger("relvan.worker")
MIND_EVERY_S = SAFETY_S[Work.HOLD_BACKS]
HOLD_BACKS_EVERY_S = 900.0
SELLING_S = 600.0  # after an order, more are to be expected, and each is to be known soon
MOST_ROUNDS = 200
BACKUPS_AFTER_S = 60.0  # the start is busy enough
AFTER_TROUBLE_S = 1.0
ALWAYS = "always"  # the duty of work that every worker does


class Worker:
    """Delivers and reads for every channel until it is stopped."""

    def __init__(
        self, workplace: Workplace, name: str = "", signals: Signals | None = None
    ) -> None:
        self.workplace, self.name = workplace, name or workplace.settings.worker_name
        self.signals = signals or open_signals(workplace.settings)
        self._waker = Waker(self.signals)
        self.stopped = threading.Event()
        self.deliveries = Rounds(self._deliver)
        self.readings = Rounds(self._read)
        self.looks = Rounds(self._look)
        self.seeks = Rounds(self._seek)
        self.announcements = Rounds(self._announce, webhook_duty)
        self.rounds: dict[Work, Rounds] = {
            Work.DELIVER: self.deliveries,
            Work.READ: self.readings,
            Work.LOOK: self.looks,
            Work.PAGES: self.seeks,
            Work.ANNOUNCE: self.announcements,
            Work.JOBS: Rounds(self._work, lambda _: JOBS),
            Work.CENTRES: Rounds(self._mind_centres, lambda _: JOBS),
            Work.PARCELS: Rounds(self._follow_parcels, lambda _: JOBS),
            Work.MAIL: Rounds(self._mail, lambda _: JOBS),  # one worker sends, each mail once
            Work.SALES: Rounds(self._turn, lambda _: SALES),
            Work.HOLD_BACKS: Rounds(self._hold_back, lambda _: HOLD_BACKS),
            Work.CHANNELS: Rounds(self._look_around, lambda _: ALWAYS),
            Work.DESK: Rounds(self._mind_desk, lambda _: JOBS),
            Work.BACKUPS: Rounds(self._back_up, lambda _: JOBS),  # one worker makes them
            Work.RECLAIM: Rounds(self._reclaim, lambda _: ALWAYS),
        }
        self.duties = Duties(workplace, self.name, self._busy)
        self._books: dict[int, Rulebook] = {}
        self._agenda, self._changed = Agenda(), threading.Condition()
        self._brought_at = -HOLD_BACKS_EVERY_S
        self._sold_at = -SELLING_S
        self._stop_read, self._stop_write = os.pipe()
        self._threads: list[threading.Thread] = []
        self._running: list[threading.Thread] = []

    def start(self) -> None:
        """Returns to the queue what an earlier worker of this name was sending, and begins."""
        reclaim(self.workplace, self.name)
        self.duties.beat()
        self.workplace.wake = self._tell
        for work in (
            Work.CHANNELS,
            Work.JOBS,
            Work.CENTRES,
            Work.PARCELS,
            Work.MAIL,
            Work.SALES,
            Work.HOLD_BACKS,
            Work.DESK,
        ):
            self.note((work, 0))
        self.note((Work.RECLAIM, 0), SAFETY_S[Work.RECLAIM])
        self.note((Work.BACKUPS, 0), BACKUPS_AFTER_S)
        for target in (self._keep_duties, self._keep_listening, self._go):
            thread = threading.Thread(target=target, daemon=True, name=target.__name__)
            thread.start()
            self._threads.append(thread)

    def stop(self) -> None:
        """Finishes the present rounds and stops."""
        self.stopped.set()
        os.write(self._stop_write, b".")
        with self._changed:
            self._changed.notify_all()
        for thread in [*self._threads, *self._running]:
            thread.join(timeout=15)
        self.duties.leave()
        self.signals.close()

    def note(self, task: Task, in_s: float = 0.0) -> None:
        """Puts a task down to be done now, or in some seconds."""
        with self._changed:
            self._agenda.put(task, time.monotonic() + in_s)
            self._changed.notify_all()

    def _tell(self, work: Work, which: int) -> None:
        """Passes on what this worker itself has changed: to its own agenda, or to the worker that
        has the duty.
        """
        task = (work, which)
        self.note(task)
        duty = self.rounds[work].duty(which)
        if duty == ALWAYS or not self.duties.holds(duty):
            self._waker(work, which)

    def _busy(self) -> set[str]:
        return set().union(*(rounds.busy() for rounds in self.rounds.values())) - {ALWAYS}

    def _keep_duties(self) -> None:
        self.duties.keep(self.stopped)

    def _keep_listening(self) -> None:
        while not self.stopped.is_set():
            try:
                self.signals.listen(self.note, self._stop_read)
            except Exception:
                log.exception("Signals could not be heard; work is found by looking")
                self.stopped.wait(AFTER_TROUBLE_S)

    def _go(self) -> None:
        """Sleeps until the next task is due, and begins it."""
        while not self.stopped.is_set():
            with self._changed:
                due = self._agenda.take(time.monotonic())
                if not due:
                    next_at = self._agenda.next_at()
                    self._changed.wait(
                        None if next_at is None else max(0.0, next_at - time.monotonic())
                    )
            for task in due:
                self._begin(task)

    def _begin(self, task: Task) -> None:
        """Begins the round of a task if the duty is this worker's, and puts the task on the agenda
        again for later.
        """
        work, which = task
        rounds = self.rounds[work]
        duty = rounds.duty(which)
        try:
            mine = duty == ALWAYS or self.duties.holds(duty)
        except Exception:
            log.exception("The duties could not be read")
            mine = False
        if self._is_kept(task):
            self.note(task, self._every(work, which))
        if not mine or (work in (Work.READ, Work.LOOK) and rounds.running(which)):
            return
        thread = threading.Thread(target=self._round, args=(task, rounds), daemon=True)
        thread.start()
        self._running = [*(running for running in self._running if running.is_alive()), thread]

    def _round(self, task: Task, rounds: Rounds) -> None:
        wait_s = rounds.run(task[1])
        if wait_s is not None and not self.stopped.is_set():
            self.note(task, wait_s)

    def _is_kept(self, task: Task) -> bool:
        """Says whether a task repeats by itself: those of channels do while the channel exists;
        those of webhooks run only when they are asked for.
        """
        work, which = task
        if work == Work.ANNOUNCE:
            return False
        return which == 0 or which in self._books

    def _every(self, work: Work, which: int) -> float:
        """Returns the seconds until a task repeats by itself."""
        if work == Work.READ:
            selling = time.monotonic() - self._sold_at < SELLING_S
            return self._books[which].orders.every_s(selling=selling)
        if work == Work.LOOK:
            return self._books[which].listings.read_every_s
        return MIND_EVERY_S if work == Work.HOLD_BACKS else SAFETY_S[work]

    def _may_go_on(self, duty: str) -> bool:
        return not self.stopped.is_set() and self.duties.holds(duty)

    def _look_around(self, _: int) -> float | None:
        """Looks which channels there are, and which webhooks have messages waiting."""
        try:
            more = go_on_parting(self.workplace)
            with self.workplace.database.reading() as session:
                books = self.workplace.rulebooks.by_key
                found = {
                    one.id: books[one.rulebook]
                    for one in channels(session)
                    if one.rulebook in books
                }
                due = due_webhooks(session, self.workplace.now())
        except Exception:
            log.exception("The channels could not be read")
            return AFTER_TROUBLE_S
        fresh = found.keys() - self._books.keys()
        self._books = found
        for channel_id in fresh:
            for work in (
                Work.DELIVER,
                Work.READ,
                Work.LOOK,
                *((Work.PAGES,) if found[channel_id].pages else ()),
            ):
                self.note((work, channel_id))
        for webhook_id in due:
            self.note((Work.ANNOUNCE, webhook_id))
        return 0.0 if more else None

    def _deliver(self, channel_id: int) -> float | None:
        for _ in range(MOST_ROUNDS):
            if not self._may_go_on(channel_duty(channel_id)):
                return None
            delivery = deliver_next(self.workplace, channel_id, self.name)
            if not delivery.sent or delivery.wait_s:
                return delivery.wait_s
        return 0.0

    def _read(self, channel_id: int) -> None:
        if read_orders(self.workplace, channel_id).numbers:
            self._sold_at = time.monotonic()

    def _look(self, channel_id: int) -> None:
        read_standing(self.workplace, channel_id)

    def _seek(self, channel_id: int) -> None:
        while look_for_pages(self.workplace, channel_id) and self._may_go_on(
            channel_duty(channel_id)
        ):
            pass

    def _announce(self, webhook_id: int) -> None:
        while tell_webhook(self.workplace, webhook_id) and self._may_go_on(
            webhook_duty(webhook_id)
        ):
            pass

    def _turn(self, _: int) -> float | None:
        """Starts and ends sale prices whose time has come, and returns the seconds until the next
        one's.
        """
        try:
            while self._may_go_on(SALES) and turn_sales(self.workplace):
                pass
            return next_turn_s(self.workplace)
        except Exception:
            log.exception("Sale prices could not be started or ended")
            return AFTER_TROUBLE_S

    def _mind_desk(self, _: int) -> None:
        """Brings back orders that were set aside, reminds of those that wait, and lets the rules
        about waiting run.
        """
        try:
            while self._may_go_on(JOBS) and mind_the_desk(self.workplace):
                pass
        except Exception:
            log.exception("The order desk could not be minded")
            return
        try:
            alert_of_unknown_lines(self.workplace)
        except Exception:
            log.exception("The person in charge could not be mailed")

    def _mind_centres(self, _: int) -> None:
        """Lets the marketplaces' centres send what is theirs, and hears what they say."""
        try:
            mind_centres(self.workplace)
        except Exception:
            log.exception("The centres could not be minded")

    def _follow_parcels(self, _: int) -> None:
        """Asks carriers what has become of the parcels under way, and what they charge."""
        try:
            follow_parcels(self.workplace)
        except Exception:
            log.exception("The parcels under way could not be followed")

    def _mail(self, _: int) -> float | None:
        """Sends the mails that are due; returns the seconds until the next one."""
        try:
            return send_mails(self.workplace, go_on=lambda: self._may_go_on(JOBS))
        except Exception:
            log.exception("Mails could not be sent")
            return AFTER_TROUBLE_S

    def _hold_back(self, _: int) -> None:
        """Works out the buffers that are set by risk again: at once when a channel falls silent or
        is heard again, and otherwise now and then.
        """
        try:
            mind_silence(self.workplace)
            if time.monotonic() - self._brought_at > HOLD_BACKS_EVERY_S:
                bring_hold_backs_along(self.workplace)
                self._brought_at = time.monotonic()
        except Exception:
            log.exception("Hold-backs by risk could not be kept up")

    def _work(self, _: int) -> float | None:
        """Works on bulk jobs, one at a time; updates and orders continue beside them."""
        try:
            while self._may_go_on(JOBS) and work_next(
                self.workplace, stopped=self._is_to_leave_jobs
            ):
                pass
        except Exception:
            log.exception("Bulk jobs could not be worked on")
            return AFTER_TROUBLE_S
        return None

    def _back_up(self, _: int) -> None:
        try:
            back_up_when_due(self.workplace)
        except Exception:
            log.exception("The backup of the night could not be made")
        try:
            look_when_due(self.workplace)
        except Exception:
            log.exception("The certificates could not be looked at")

    def _reclaim(self, _: int) -> None:
        """Returns to the queue what a worker that no longer runs was sending."""
        reclaim(self.workplace)

    def _is_to_leave_jobs(self) -> bool:
        return not self._may_go_on(JOBS)


@contextmanager
def only_one(settings: Settings) -> Iterator[IO[str]]:
    """Lets one worker of a name run in a data folder; a second one waits until the first has ended."""
    settings.data_dir.mkdir(parents=True, exist_ok=True)
    name = quote(settings.worker_name, safe="")
    with open(settings.data_dir / f"worker-{name}.lock", "w") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        file.write(str(os.getpid()))
        file.flush()
        yield file


def run_worker(settings: Settings, until: Callable[[], object] | None = None) -> None:
    """Runs a worker until it is interrupted, or until `until` returns."""
    log.addFilter(Seldom(only=DatabaseAway))
    with only_one(settings):
        workplace = open_workplace(settings)
        bring_up_to_date(workplace.database)
        take_up_editions(workplace)
        worker = Worker(workplace)
        collect_seldom()
        worker.start()
        try:
            (until or _wait_for_signal)()
        finally:
            worker.stop()
            workplace.close()


def _wait_for_signal() -> None:
    """Waits until this process is asked to end, by Ctrl+C or by the system."""
    asked = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: asked.set())
    asked.wait()
