"""Shares the work among workers: each reports that it is alive, keeps its fair share of duties, and
takes those of workers that have died."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from relvan.core.duties import alive, share_of
from relvan.services.workplace import Workplace
from relvan.store.duties import (
    WorkerRow,
    all_duties,
    forget_worker,
    give_duties,
    held_duties,
    note_worker,
    seen_workers,
    worker_rows,
)
from relvan.store.session import Session


@dataclass(frozen=True)
class Share:
    """The duties that a worker has, and all duties that were known when it got them."""

    mine: frozenset[str] = frozenset()
    known: frozenset[str] = frozenset()


def take_share(workplace: Workplace, worker: str, *, busy: Collection[str] = ()) -> Share:
    """Reports that a worker is alive and returns what it does from now on. Duties that it is to
    give up but is `busy` with stay with it until it asks again, so that nobody else begins
    meanwhile; it begins nothing new there itself."""
    now = workplace.now()
    with workplace.database.writing(hurried=True) as session:
        note_worker(session, worker, now, shares=True)
        duties, held = all_duties(session), held_duties(session)
        commands = alive(seen_workers(session, sharing=False), now)
        shared = [duty for duty in duties if held.get(duty) not in commands]
        mine = share_of(shared, held, alive(seen_workers(session, sharing=True), now), worker)
        leaving = {duty for duty in busy if held.get(duty) == worker}
        if {duty for duty, name in held.items() if name == worker} != mine | leaving:
            give_duties(session, worker, mine | leaving, held)
    return Share(mine, frozenset(duties))


def take_duty(workplace: Workplace, worker: str, duty: str) -> bool:
    """Takes one duty for a program that does nothing else, such as a command. Returns whether it
    got it, because no living worker has it."""
    now = workplace.now()
    with (
        workplace.database.reading() as session
    ):  # it may be asked again and again, and writers take turns
        if not _is_free(session, worker, duty, now):
            return False
    with workplace.database.writing(hurried=True) as session:
        free = _is_free(session, worker, duty, now)
        if free:
            note_worker(session, worker, now, shares=False)
            give_duties(session, worker, {duty}, held_duties(session))
    return free


def _is_free(session: Session, worker: str, duty: str, now: datetime) -> bool:
    seen = seen_workers(session, sharing=True) | seen_workers(session, sharing=False)
    return held_duties(session).get(duty) not in alive(seen, now) - {worker}


def leave_duties(workplace: Workplace, worker: str) -> None:
    """Gives up all duties of a worker that stops; others can take them at once."""
    with workplace.database.writing(hurried=True) as session:
        forget_worker(session, worker)


def workers_seen(session: Session, workplace: Workplace) -> list[tuple[WorkerRow, bool]]:
    """Returns every worker, with whether it is alive."""
    rows = worker_rows(session)
    living = alive({row.name: row.seen_at for row in rows}, workplace.now())
    return [(row, row.name in living) for row in rows]
