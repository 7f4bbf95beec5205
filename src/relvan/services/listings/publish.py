"""Publishing listings, taking them down and putting them back: one or hundreds, as a bulk job with verdicts."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services import audit
from relvan.services.jobs.rows import NewRow, open_job
from relvan.services.listings.refresh import refresh_listings, settle_state
from relvan.services.outbox.tell import Telling, listing_subject, tell
from relvan.services.workplace import Actor, Workplace
from relvan.store.tables import Channel, Listing, OutboxEntry, Product

MOST_AT_ONCE = 20_000


@dataclass(frozen=True)
class Step:
    """What is done about one listing: topics to tell, or the reason why nothing is."""

    topics: tuple[Topic, ...] = ()
    wish: str = ""
    refused: str = ""
    note: str = ""


def publish_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Send listings to their channels: new ones whole, behind ones what differs. Return the bulk job's id."""
    return _run(workplace, actor, listing_ids, "publish", "Publish", _publish)


def take_down_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Take listings off their channels. Return the bulk job's id."""
    return _run(workplace, actor, listing_ids, "take down", "Take down", _take_down)


def put_back_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int]) -> int:
    """Offer listings again that were taken down. Return the bulk job's id."""
    return _run(workplace, actor, listing_ids, "put back", "Put back", _put_back)


def _publish(listing: Listing) -> Step:
    if listing.gap_count:
        word = "gap keeps" if listing.gap_count == 1 else "gaps keep"
        first = listing.gaps[0]["message"]
        return Step(refused=f"{listing.gap_count} {word} it from going live: {first}")
    if not listing.placed:
        return Step((Topic.PUBLISH,), "live")
    if listing.state == "down":
        return _put_back(listing)
    differing = listing.behind.split()
    if "content" in differing or "pictures" in differing:
        return Step((Topic.CONTENT,), "live")
    return Step(wish="live", note="Nothing differs.")


def _take_down(listing: Listing) -> Step:
    if not listing.placed:
        return Step(wish="none", note="It is not on the channel.")
    return Step((Topic.SHOWN,), "down") if listing.shown else Step(wish="down", note="It is down already.")


def _put_back(listing: Listing) -> Step:
    if not listing.placed:
        return Step(refused="It has never been on the channel: publish it.")
    if listing.quantity <= 0:
        return Step(refused="None is free to sell.")
    if listing.shown and listing.until is None:
        return Step(wish="live", note="It is shown already.")
    return Step((Topic.SHOWN,), "live")  # where listings lapse, one that is shown is renewed


def _run(
    workplace: Workplace,
    actor: Actor,
    listing_ids: Sequence[int],
    kind: str,
    word: str,
    decide: Callable[[Listing], Step],
) -> int:
    actor.must(Right.LISTINGS)
    wanted = list(dict.fromkeys(listing_ids))
    if not wanted or len(wanted) > MOST_AT_ONCE:
        raise refuse("ids", f"Between 1 and {MOST_AT_ONCE:,} listings at once; it got {len(wanted):,}.", "", "ids")
    with workplace.database.writing() as session:
        found = {listing.id: listing for listing in refresh_listings(session, workplace, listing_ids=wanted)}
        missing = [listing_id for listing_id in wanted if listing_id not in found]
        if missing:
            raise refuse("not-found", f"There is no listing “{missing[0]}”.", "Look at the list again.", "ids")
        steps = {listing_id: decide(found[listing_id]) for listing_id in wanted}
        rows = [_row(listing_id, steps[listing_id], name) for listing_id, name in _names(session, wanted).items()]
        plural = "listing" if len(wanted) == 1 else "listings"
        job, row_ids = open_job(session, workplace, actor, kind, f"{word} {len(wanted)} {plural}", rows)
        row_of = {row.listing_id: row_id for row, row_id in zip(rows, row_ids, strict=True)}
        _carry_out(session, workplace, actor, kind, found, steps, row_of)
        return job.id


def _carry_out(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    kind: str,
    found: dict[int, Listing],
    steps: dict[int, Step],
    row_of: dict[int | None, int],
) -> None:
    tellings = []
    cancelled = []
    for listing_id, step in steps.items():
        listing = found[listing_id]
        if step.refused:
            continue
        if step.wish == "none" and listing.wish == "live":
            cancelled.append(listing_id)
        listing.wish, listing.refusal, listing.changed_at = step.wish, [], workplace.now()
        listing.gone = ""
        audit.record(session, actor, workplace.now(), "listing", listing_id, kind)
        for topic in step.topics:
            tellings.append(
                Telling(
                    listing.channel_id,
                    listing_subject(listing_id),
                    topic,
                    topic_urgency(topic),
                    listing_id,
                    row_of[listing_id],
                )
            )
        settle_state(listing)
    _drop_waiting_publish(session, workplace, cancelled)
    session.flush()
    tell(session, workplace, tellings)


def _drop_waiting_publish(session: Session, workplace: Workplace, listing_ids: list[int]) -> None:
    """A listing that waits to be published and is not wanted any more is not sent."""
    statement = select(OutboxEntry).where(
        OutboxEntry.listing_id.in_(listing_ids), OutboxEntry.topic == Topic.PUBLISH, OutboxEntry.state == "waiting"
    )
    for entry in session.scalars(statement):
        if not entry.unsure:
            entry.state, entry.ended_at, entry.answer = "dropped", workplace.now(), "no longer wanted"


def _row(listing_id: int, step: Step, name: str) -> NewRow:
    if step.refused:
        return NewRow(name, listing_id, "refused", step.refused)
    if not step.topics:
        return NewRow(name, listing_id, "done", step.note)
    return NewRow(name, listing_id)


def _names(session: Session, listing_ids: list[int]) -> dict[int, str]:
    rows = session.execute(
        select(Listing.id, Product.sku, Channel.name)
        .join(Product, Product.id == Listing.product_id)
        .join(Channel, Channel.id == Listing.channel_id)
        .where(Listing.id.in_(listing_ids))
    )
    names = {listing_id: f"{sku} on {channel}" for listing_id, sku, channel in rows}
    return {listing_id: names[listing_id] for listing_id in listing_ids}
