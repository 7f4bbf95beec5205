"""Moving a bulk job through its life: rehearse, apply, undo, drop. The worker does what these ask for."""

from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from relvan.core.imports.kinds import FileKind
from relvan.core.jobs.life import next_state
from relvan.core.people.roles import Right, Role
from relvan.core.refusal import not_found, refuse
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.database import after_commit
from relvan.store.tables import BulkJob, Person

RIGHTS = {FileKind.PRICES: Right.PRICES, FileKind.COUNTS: Right.STOCK, FileKind.LISTINGS: Right.LISTINGS,
          FileKind.LAYERS: Right.LISTINGS, FileKind.DEEDS: Right.LISTINGS}  # fmt: skip

REVERSIBLE = ("import", "change", "fetch")  # the others told somebody outside, or only read


def right_for(kind: str) -> Right:
    """The right that a kind of job needs."""
    return RIGHTS.get(FileKind(kind), Right.CATALOGUE) if kind in set(FileKind) else Right.CATALOGUE


def find_job(session: Session, job_id: int) -> BulkJob:
    """A bulk job by its id."""
    job = session.get(BulkJob, job_id)
    if job is None:
        raise not_found("bulk job", job_id)
    return job


def open_background_job(
    session: Session, workplace: Workplace, actor: Actor, kind: str, title: str, state: str, spec: dict[str, Any]
) -> BulkJob:
    """Open a job that the worker is to rehearse."""
    job = BulkJob(
        kind=kind, title=title[:200], state=state, spec=spec, counts={}, person_id=actor.person_id,
        created_at=workplace.now(),
    )  # fmt: skip
    session.add(job)
    session.flush()
    wake(session, workplace)
    return job


def move_job(workplace: Workplace, actor: Actor, job_id: int, event: str, *, spec: dict[str, Any] | None = None) -> str:
    """Let an event happen to a job; its state now. The same event twice is refused the second time."""
    with workplace.database.writing() as session:
        job = find_job(session, job_id)
        actor.must(right_for(str(job.spec.get("kind", ""))))
        if event == "undo" and (job.kind not in REVERSIBLE or job.spec.get("kind") == FileKind.DEEDS):
            message = f"A job of the kind “{job.kind}” cannot be taken back."
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
        audit.record(session, actor, workplace.now(), "bulk job", job.id, event, {"state": (before, job.state)})
        wake(session, workplace)
        return job.state


def wake(session: Session, workplace: Workplace) -> None:
    """Tell the worker, once this is saved."""
    after_commit(session, lambda: workplace.wake(Work.JOBS, 0))


def actor_of(session: Session, job: BulkJob, via: str) -> Actor:
    """Who started a job, as the one by whom the worker carries it out."""
    person = session.scalar(select(Person).where(Person.id == job.person_id)) if job.person_id else None
    return Actor(person.id, person.name, Role(person.role), via) if person else SYSTEM


def end_job(session: Session, workplace: Workplace, job_id: int, event: str, **values: Any) -> None:
    """Bring a job to its next resting place, with figures."""
    job = find_job(session, job_id)
    job.state, job.ended_at = next_state(job.state, event), workplace.now()
    session.flush()
    if values:
        session.execute(update(BulkJob).where(BulkJob.id == job_id).values(**values))
