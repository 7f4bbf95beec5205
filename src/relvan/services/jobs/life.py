"""Leads a bulk job through its states: rehearse, apply, undo, drop. The worker does what these ask
for."""

from dataclasses import dataclass
from typing import Any

from relvan.core.imports.columns import FileKind
from relvan.core.jobs.life import next_state
from relvan.core.people.roles import Right, Role
from relvan.core.refusal import not_found, refuse
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.jobs import update_job
from relvan.store.session import Session
from relvan.store.tables import BulkJob, Person

RIGHTS = {
    FileKind.PRICES: Right.PRICES,
    FileKind.COUNTS: Right.STOCK,
    FileKind.LISTINGS: Right.LISTINGS,
    FileKind.LAYERS: Right.LISTINGS,
    FileKind.DEEDS: Right.LISTINGS,
    FileKind.ORDERS: Right.ORDERS,
}

REVERSIBLE = (
    "import",
    "change",
    "fetch",
    "move in",
)  # the others told somebody outside, or only read


MOVE_IN = "move in"  # the kind of job that makes a catalogue of what channels list


def right_for(kind: str) -> Right:
    """Returns the right that a kind of job needs."""
    if kind == MOVE_IN:
        return Right.SETUP
    return RIGHTS.get(FileKind(kind), Right.CATALOGUE) if kind in set(FileKind) else Right.CATALOGUE


def find_job(session: Session, job_id: int) -> BulkJob:
    """Returns a bulk job by its id."""
    job = session.get(BulkJob, job_id)
    if job is None:
        raise not_found("bulk job", job_id)
    return job


@dataclass(frozen=True)
class NewJob:
    """A bulk job that is to be opened: its kind, its title, its first state, and what it is to do."""

    kind: str
    title: str
    state: str
    spec: dict[str, Any]


def open_background_job(
    session: Session, workplace: Workplace, actor: Actor, wish: NewJob
) -> BulkJob:
    """Opens a job that the worker is to rehearse or to carry out."""
    job = BulkJob(
        kind=wish.kind,
        title=wish.title[:200],
        state=wish.state,
        spec=wish.spec,
        counts={},
        person_id=actor.person_id,
        created_at=workplace.now(),
    )
    session.add(job)
    session.flush()
    wake(session, workplace)
    return job


def move_job(
    workplace: Workplace,
    actor: Actor,
    job_id: int,
    event: str,
    *,
    spec: dict[str, Any] | None = None,
) -> str:
    """Lets an event happen to a job and returns its new state. The same event is refused the second
    time."""
    with workplace.database.writing() as session:
        job = find_job(session, job_id)
        actor.must(right_for(str(job.spec.get("kind", ""))))
        if event == "undo" and (
            job.kind not in REVERSIBLE or job.spec.get("kind") == FileKind.DEEDS
        ):
            message = f"A job of the kind “{job.kind}” cannot be undone."
            raise refuse("wrong-state", message, "Take its listings down, or change them back.")
        before, job.state = job.state, next_state(job.state, event)
        if spec is not None:
            job.spec = {**job.spec, **spec}
        if event == "rehearse":
            job.total = job.done = job.refused = 0
            job.counts, job.trouble = {}, ""
        if event in ("apply", "undo"):
            job.done, job.ended_at = 0, None
            job.refused = 0 if event == "undo" else job.refused
        if event == "drop":
            job.ended_at = workplace.now()
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("bulk job", job.id),
            event,
            {"state": (before, job.state)},
        )
        wake(session, workplace)
        return job.state


def wake(session: Session, workplace: Workplace) -> None:
    """Wakes the worker once this transaction is saved."""
    after_commit(session, lambda: workplace.wake(Work.JOBS, 0))


def actor_of(session: Session, job: BulkJob, via: str) -> Actor:
    """Returns who started a job; the worker acts in that person's name."""
    person = session.get(Person, job.person_id) if job.person_id else None
    return Actor(person.id, person.name, Role(person.role), via) if person else SYSTEM


def end_job(session: Session, workplace: Workplace, job_id: int, event: str, **values: Any) -> None:
    """Brings a job to the state in which it rests, with its totals."""
    job = find_job(session, job_id)
    job.state, job.ended_at = next_state(job.state, event), workplace.now()
    session.flush()
    if values:
        update_job(session, job_id, values)
