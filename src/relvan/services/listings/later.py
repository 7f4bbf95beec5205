"""Works many listings out again: a few at once with the change itself, many in the background, part
by part."""

from collections.abc import Callable
from typing import Any

from relvan.core.jobs.life import JobState
from relvan.services.changes import Concern
from relvan.services.jobs.life import NewJob, end_job, find_job, open_background_job
from relvan.services.listings.refresh import Occasion, refresh_listings
from relvan.services.workplace import Workplace
from relvan.store.layers import listings_on, listings_with_layer
from relvan.store.session import Session

AT_ONCE = 400
CHUNK = 250


def refresh_soon(session: Session, workplace: Workplace, concern: Concern) -> None:
    """Works out the listings that a change in this transaction concerns. A few are done at once;
    for many a background job is opened, so that nobody waits and nothing is forgotten."""
    spec: dict[str, Any] = {"layer": concern.layer_id, "channel": concern.channel_id}
    ids = list(concern.listing_ids) if concern.listing_ids is not None else _ids_of(session, spec)
    if len(ids) <= AT_ONCE:
        refresh_listings(
            session, workplace, listing_ids=ids, occasion=Occasion(cause=concern.title)
        )
        return
    if concern.listing_ids is not None:
        spec["ids"] = ids
    job = open_background_job(
        session,
        workplace,
        concern.actor,
        NewJob("work out", concern.title, JobState.APPLYING, {"kind": "work out", **spec}),
    )
    job.total = len(ids)


def work_out_some(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """Does that work for the worker: chunk by chunk in the order of ids, going on where it stopped."""
    while not stopped():
        with workplace.database.writing() as session:
            job = find_job(session, job_id)
            after = int(job.spec.get("after", 0))
            chunk = _ids_of(session, job.spec, after=after, most=CHUNK)
            if not chunk:
                end_job(session, workplace, job_id, "end", done=job.total)
                return
            refresh_listings(
                session, workplace, listing_ids=chunk, occasion=Occasion(cause=job.title)
            )
            job.spec = {**job.spec, "after": chunk[-1]}
            job.done = min(job.total, job.done + len(chunk))


def _ids_of(
    session: Session, spec: dict[str, Any], *, after: int = 0, most: int | None = None
) -> list[int]:
    if spec.get("ids") is not None:
        return sorted(listing_id for listing_id in spec["ids"] if listing_id > after)[:most]
    if spec.get("layer") is not None:
        return listings_with_layer(session, spec["layer"], after=after, most=most)
    return listings_on(session, spec["channel"], after=after, most=most)
