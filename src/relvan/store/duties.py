"""Queries over workers and the duties that each of them has."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from relvan.core.duties import HOLD_BACKS, JOBS, SALES, channel_duty, webhook_duty
from relvan.store.among import among
from relvan.store.channels import CONNECTED
from relvan.store.portable import insert_into
from relvan.store.rows import rows_as
from relvan.store.tables import Channel, Duty, SeenWorker, Webhook

FORGOTTEN = timedelta(days=1)


@dataclass(frozen=True)
class WorkerRow:
    """A worker, when it was last seen, and for how many channels it works."""

    name: str
    seen_at: datetime
    channels: int


def all_duties(session: Session) -> list[str]:
    """Returns every duty that some worker has to do."""
    channels = [
        channel_duty(key)
        for key in session.scalars(select(Channel.id).where(CONNECTED).order_by(Channel.id))
    ]
    webhooks = [
        webhook_duty(key) for key in session.scalars(select(Webhook.id).order_by(Webhook.id))
    ]
    return [*channels, *webhooks, JOBS, SALES, HOLD_BACKS]


def seen_workers(session: Session, *, sharing: bool) -> dict[str, datetime]:
    """Returns when each worker was last seen; or each command, which does not share duties."""
    statement = select(SeenWorker.name, SeenWorker.seen_at).where(SeenWorker.shares.is_(sharing))
    return dict(session.execute(statement).all())


def held_duties(session: Session) -> dict[str, str]:
    """Returns the worker of every duty that is held."""
    return dict(session.execute(select(Duty.name, Duty.worker)).all())


def note_worker(session: Session, name: str, now: datetime, *, shares: bool) -> None:
    """Records that a worker or a command is running, and deletes those that were not seen for long."""
    session.execute(delete(SeenWorker).where(SeenWorker.seen_at < now - FORGOTTEN))
    row = insert_into(session, SeenWorker).values(name=name, seen_at=now, shares=shares)
    session.execute(row.on_conflict_do_update(index_elements=["name"], set_={"seen_at": now}))


def forget_worker(session: Session, name: str) -> None:
    """Deletes a worker that has stopped; its duties are free."""
    session.execute(delete(SeenWorker).where(SeenWorker.name == name))


def give_duties(
    session: Session, worker: str, duties: Collection[str], held: Collection[str]
) -> None:
    """Gives a worker exactly these duties. `held` are the duties that some worker has now."""
    session.execute(delete(Duty).where(Duty.worker == worker, ~among(Duty.name, duties)))
    session.execute(
        update(Duty)
        .where(among(Duty.name, [name for name in duties if name in held]))
        .values(worker=worker)
    )
    fresh = [{"name": name, "worker": worker} for name in sorted(duties) if name not in held]
    if fresh:
        session.execute(insert_into(session, Duty), fresh)


def worker_rows(session: Session) -> list[WorkerRow]:
    """Returns all workers that were seen and have not stopped by themselves."""
    channels = func.count(Duty.name).filter(Duty.name.like("channel:%"))
    statement = (
        select(SeenWorker.name, SeenWorker.seen_at, channels)
        .outerjoin(Duty, Duty.worker == SeenWorker.name)
        .where(SeenWorker.shares.is_(True))
        .group_by(SeenWorker.name)
        .order_by(SeenWorker.name)
    )
    return rows_as(WorkerRow, session, statement)
