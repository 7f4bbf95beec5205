"""Drift: a channel shows something else than it last accepted. It is corrected by rule or by hand."""

from collections.abc import Sequence
from datetime import datetime

from relvan.core.channels.drift import DriftFound, Stand, find_drift
from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import listing_subject
from relvan.core.listings.rulebook import Rulebook
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.gateways.channels.port import ShownListing
from relvan.services import audit
from relvan.services.listings.refresh import Occasion, news, settle_state
from relvan.services.outbox.tell import Telling, tell
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.drifts import open_drifts, open_drifts_by_id
from relvan.store.listings import listings_of
from relvan.store.session import Session
from relvan.store.tables import Channel, Drift, Listing

MOST_AT_ONCE = 5_000
TOLD, LEFT, GONE = "told again", "left as it is", "gone by itself"


def note_drift(
    session: Session,
    workplace: Workplace,
    channel: Channel,
    seen: Sequence[tuple[Listing, ShownListing]],
    unsettled: set[tuple[int, str]],
) -> int:
    """Notes how some listings stand on a channel: a difference is seen by one comparison and
    confirmed by the next. What the channel is set up to correct without asking is then sent again.
    Returns how many were confirmed."""
    book, now = workplace.rulebook(channel), workplace.now()
    known = open_drifts(session, [listing.id for listing, _ in seen])
    confirmed: list[tuple[Drift, Listing]] = []
    for listing, shown in seen:
        busy = {topic for listing_id, topic in unsettled if listing_id == listing.id}
        found = {one.topic: one for one in _differences(book, listing, shown, busy)}
        for topic in (Topic.QUANTITY, Topic.PRICE, Topic.CONTENT):
            drift = known.get((listing.id, topic))
            if topic not in found:
                if drift is not None and topic not in busy:
                    drift.ended_at, drift.how = now, GONE
            elif _see(session, channel, listing, drift, found[topic], now):
                assert drift is not None
                confirmed.append((drift, listing))
    mended = [pair for pair in confirmed if pair[0].topic in channel.mends.split()]
    _tell_again(session, workplace, SYSTEM, mended)
    return len(confirmed)


def _differences(
    book: Rulebook, listing: Listing, shown: ShownListing, busy: set[str]
) -> list[DriftFound]:
    if not shown.live or not listing.followed:
        return []
    numbers = (None, None) if listing.is_head else (listing.sent_price, listing.sent_quantity)
    owned = {*book.owned, book.page_field}
    there = Stand(shown.price, shown.quantity, shown.fields)
    return find_drift(Stand(*numbers, listing.sent_fields), there, unsettled=busy, owned=owned)


def _see(
    session: Session,
    channel: Channel,
    listing: Listing,
    drift: Drift | None,
    found: DriftFound,
    now: datetime,
) -> bool:
    """Notes one difference; returns whether it has just been confirmed."""
    if drift is None:
        session.add(
            Drift(
                channel_id=channel.id,
                listing_id=listing.id,
                topic=found.topic,
                ours=found.ours,
                theirs=found.theirs,
                seen_at=now,
            )
        )
        return False
    if (drift.ours, drift.theirs) != (
        found.ours,
        found.theirs,
    ):  # it moves still: a sale on its way to us, perhaps
        drift.ours, drift.theirs, drift.seen_at = found.ours, found.theirs, now
        drift.confirmed_at, drift.how = None, ""
        return False
    if drift.confirmed_at is not None:
        return False
    drift.confirmed_at = now
    return True


def mend_drift(workplace: Workplace, actor: Actor, drift_ids: Sequence[int]) -> int:
    """Sends updates again where channels differ; returns how many. Differences that have ended stay
    as they are."""
    with workplace.database.writing() as session:
        pairs = _wanted(session, actor, drift_ids)
        _tell_again(session, workplace, actor, pairs)
        return len(pairs)


def leave_drift(workplace: Workplace, actor: Actor, drift_ids: Sequence[int]) -> int:
    """Leaves differences as they are until our value or the channel's changes."""
    with workplace.database.writing() as session:
        pairs = _wanted(session, actor, drift_ids)
        for drift, _ in pairs:
            drift.how = LEFT
        went: list[tuple[int | None, str, audit.Changes]] = [
            (listing.id, f"drift of {drift.topic} left", {}) for drift, listing in pairs
        ]
        audit.record_many(session, actor, workplace.now(), "listing", went)
        return len(pairs)


def _wanted(
    session: Session, actor: Actor, drift_ids: Sequence[int]
) -> list[tuple[Drift, Listing]]:
    actor.must(Right.LISTINGS)
    if not 0 < len(drift_ids) <= MOST_AT_ONCE:
        raise refuse(
            "ids", f"Between 1 and {MOST_AT_ONCE:,} at once; it got {len(drift_ids):,}.", "", "ids"
        )
    rows = open_drifts_by_id(session, drift_ids)
    listings = {
        one.id: one for one in listings_of(session, listing_ids={row.listing_id for row in rows})
    }
    return [(row, listings[row.listing_id]) for row in rows]


def _tell_again(
    session: Session, workplace: Workplace, actor: Actor, pairs: Sequence[tuple[Drift, Listing]]
) -> None:
    """Notes that the channel shows something else, so that it is sent like anything else that
    differs."""
    now = workplace.now()
    tellings: list[Telling] = []
    for drift, listing in pairs:
        drift.ended_at, drift.how = now, TOLD
        if drift.topic == Topic.CONTENT:
            urgency = topic_urgency(Topic.CONTENT)
            subject = listing_subject(listing.id)
            tellings.append(
                Telling(listing.channel_id, subject, Topic.CONTENT, urgency, listing.id)
            )
            continue
        if drift.topic == Topic.QUANTITY:
            listing.sent_quantity = int(drift.theirs)
        else:
            listing.sent_price = int(drift.theirs)
        settle_state(listing)
        told = news(listing, set(), Occasion(cause="the channel showed another price"))
        tellings += [one for one in told if one.topic == drift.topic]
    changes = [
        (listing.id, f"drift of {drift.topic} mended", {drift.topic: (drift.theirs, drift.ours)})
        for drift, listing in pairs
    ]
    audit.record_many(session, actor, now, "listing", changes)
    tell(session, workplace, tellings)
