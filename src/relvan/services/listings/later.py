"""Working many listings out again: a few at once with the change itself, many in the background, bit by bit."""

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy.orm import Session

from relvan.services.jobs.life import end_job, find_job, open_background_job
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store.layers import listings_on, listings_with_layer

AT_ONCE = 400
CHUNK = 250


def refresh_soon(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    title: str,
    *,
    layer_id: int | None = None,
    channel_id: int | None = None,
    listing_ids: Sequence[int] | None = None,
) -> None:
    """Work out the listings of a layer, of a channel, or some, after a change in this transaction. Few are done with
    it; of many a background job is opened in it, so that nobody waits and nothing is forgotten."""
    spec: dict[str, Any] = {"layer": layer_id, "channel": channel_id}
    ids = list(listing_ids) if listing_ids is not None else _ids_of(session, spec)
    if len(ids) <= AT_ONCE:
        refresh_listings(session, workplace, listing_ids=ids, cause=title)
        return
    if listing_ids is not None:
        spec["ids"] = ids
    job = open_background_job(session, workplace, actor, "work out", title, "applying", {"kind": "work out", **spec})
    job.total = len(ids)


def work_out_some(workplace: Workplace, job_id: int, *, stopped: Callable[[], bool]) -> None:
    """What the worker does of it: chunk by chunk in the order of ids, going on where it stood."""
    while not stopped():
        with workplace.database.writing() as session:
            job = find_job(session, job_id)
            after = int(job.spec.get("after", 0))
            chunk = _ids_of(session, job.spec, after=after, most=CHUNK)
            if not chunk:
                end_job(session, workplace, job_id, "end", done=job.total)
                return
            refresh_listings(session, workplace, listing_ids=chunk, cause=job.title)
            job.spec = {**job.spec, "after": chunk[-1]}
            job.done = min(job.total, job.done + len(chunk))


def _ids_of(session: Session, spec: dict[str, Any], *, after: int = 0, most: int | None = None) -> list[int]:
    if spec.get("ids") is not None:
        return sorted(listing_id for listing_id in spec["ids"] if listing_id > after)[:most]
    if spec.get("layer") is not None:
        return listings_with_layer(session, spec["layer"], after=after, most=most)
    return listings_on(session, spec["channel"], after=after, most=most)
