"""Keeps listings in step that were only read in: from then on their prices and quantities follow ours.
What would change on the channel is shown first.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from relvan.core.catalogue.facts import Changes
from relvan.core.jobs.life import JobState
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.jobs.life import NewJob, actor_of, end_job, find_job, open_background_job
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key, channels
from relvan.store.move_in import (
    StepRow,
    Waiting,
    follow_listings,
    ids_for_step,
    rows_out_of_step,
    waiting_for_step,
)
from relvan.store.session import Session
from relvan.store.tables import Channel

IN_STEP = "in step"
AT_ONCE = 200


@dataclass(frozen=True)
class StepPreview:
    """What would change on a channel when its listings are kept in step."""

    channel: Channel
    waiting: Waiting
    rows: Sequence[StepRow] = ()


def preview_steps(
    session: Session, keys: Sequence[str] = (), *, shown: int = 0
) -> list[StepPreview]:
    """Returns what would change on channels (on all when none is named) that have listings which
    are not kept in step, with the first `shown` of them."""
    found = []
    for channel in channels(session):
        if keys and channel.key not in keys:
            continue
        waiting = waiting_for_step(session, channel.id)
        if waiting.listings:
            rows = rows_out_of_step(session, channel.id, limit=shown) if shown else []
            found.append(StepPreview(channel, waiting, rows))
    return found


def keep_channel_in_step(workplace: Workplace, actor: Actor, key: str) -> int:
    """Opens the job that keeps in step all listings of a channel that were only read in; returns
    its id."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        channel = channel_by_key(session, key)
        waiting = waiting_for_step(session, channel.id)
        if not waiting.listings:
            message = f"All listings on {channel.name} are kept in step already."
            raise refuse("nothing", message, "There is nothing to do.", "channel")
        word = "listing" if waiting.listings == 1 else "listings"
        title = f"Keep {waiting.listings:,} {word} on {channel.name} in step"
        wish = NewJob(IN_STEP, title, JobState.APPLYING, {"kind": IN_STEP, "channel": channel.id})
        job = open_background_job(session, workplace, actor, wish)
        job.total = waiting.listings
        return job.id


def keep_some_in_step(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """Marks listings as kept in step, chunk by chunk, and tells the channel what differs."""
    while not stopped():
        with workplace.database.writing() as session:
            job = find_job(session, job_id)
            ids = ids_for_step(session, job.spec["channel"], AT_ONCE)
            if not ids:
                break
            follow_listings(session, ids)
            session.expire_all()
            refresh_listings(session, workplace, listing_ids=ids)
            actor = actor_of(session, find_job(session, job_id), "bulk job")
            entries: list[tuple[int | None, str, Changes]]
            entries = [(listing_id, "kept in step", {}) for listing_id in ids]
            audit.record_many(session, actor, workplace.now(), "listing", entries, job_id=job_id)
            job = find_job(session, job_id)
            job.done = min(job.total, job.done + len(ids))
    else:
        return
    with workplace.database.writing() as session:
        end_job(session, workplace, job_id, "end")
