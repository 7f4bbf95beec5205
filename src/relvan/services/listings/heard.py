"""What the answers of channels mean for listings: a place on the channel, an accepted number, or a
refusal that is shown."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from datetime import datetime
from typing import Any

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import listing_subject
from relvan.core.listings.refusals import Said, after_accepting, keep_problems
from relvan.services import audit
from relvan.services.jobs.rows import settle_rows_of
from relvan.services.listings.refresh import (
    keep_refusal,
    news,
    problems_of,
    refresh_listings,
    refusal_gaps,
    settle_state,
)
from relvan.services.outbox.tell import Telling, tell
from relvan.services.stations import Heard, UpdateOutcome
from relvan.services.workplace import SYSTEM, Workplace
from relvan.store.job_rows import waiting_rows
from relvan.store.listings import members_of
from relvan.store.session import Session
from relvan.store.tables import Channel, Listing, PriceSent


@dataclass
class _Came:
    """The result of a round of answers: the listings that were placed (with their catalogue page,
    by id), those that were updated on a topic, and heads that were refused with the channel's
    words. What follows is done for all of them at once."""

    placed: list[Listing] = field(default_factory=list)
    told: list[tuple[Listing, str]] = field(default_factory=list)
    pages: dict[int, str] = field(default_factory=dict)
    refused_heads: dict[int, str] = field(default_factory=dict)


def hear_about_listings(session: Session, workplace: Workplace, heard: Sequence[Heard]) -> None:
    """Brings listings in line with the answers to their updates; what follows is sent in the same
    transaction."""
    came = _Came()
    for one in heard:
        if one.outcome == UpdateOutcome.ACCEPTED:
            _accepted(session, workplace, one, came)
        elif one.outcome == UpdateOutcome.REFUSED:
            _refused(session, workplace, one, came)
        else:
            _kept_back(one, came)
    went: list[tuple[int | None, str, audit.Changes]] = [
        (listing.id, "went live", {}) for listing in came.placed
    ]
    audit.record_many(session, SYSTEM, workplace.now(), "listing", went)
    _after_placing(session, workplace, came.placed)
    _tell_what_changed_meanwhile(session, workplace, came.told)
    _settle_on_pages(session, workplace, came.placed, came.pages)
    _after_refused_heads(session, workplace, came.refused_heads)


def _accepted(session: Session, workplace: Workplace, heard: Heard, came: _Came) -> None:
    listing = heard.listing
    came.told.append((listing, heard.topic))
    for name, value in heard.sent.items():
        setattr(listing, name, value)
    _note_price(session, workplace.now(), heard)
    if heard.placed is not None:
        listing.placed, listing.shown = True, True
        listing.ref, listing.page, listing.until = (
            heard.placed.ref,
            heard.placed.page,
            heard.placed.until,
        )
        came.placed.append(listing)
        if heard.placed.catalogue_page:
            came.pages[listing.id] = heard.placed.catalogue_page
    if listing.refusal:
        keep_refusal(listing, after_accepting(problems_of(listing), heard.topic))
    _show_refusal(listing)


def _note_price(session: Session, now: datetime, heard: Heard) -> None:
    """Notes every price that a channel has accepted, with what it came from."""
    amount = heard.sent.get("sent_price")
    if amount is None:
        return
    cause = heard.cause or ("published" if heard.topic == Topic.PUBLISH else "")
    session.add(
        PriceSent(
            listing_id=heard.listing.id,
            channel_id=heard.listing.channel_id,
            at=now,
            amount=amount,
            regular=heard.sent.get("sent_regular"),
            cause=cause,
        )
    )


def _refused(session: Session, workplace: Workplace, heard: Heard, came: _Came) -> None:
    listing, said = heard.listing, "; ".join(says for _, says in heard.problems)
    before = [problem for problem in problems_of(listing) if problem.topic != heard.topic]
    problems = keep_problems(heard.topic, heard.problems, _said_in_update(listing, heard.sent))
    keep_refusal(listing, [*before, *problems])
    if heard.topic == Topic.PUBLISH:
        listing.wish = "none"
        if listing.head_id is None:
            came.refused_heads[listing.id] = said
    audit.record(
        session,
        SYSTEM,
        workplace.now(),
        audit.Subject("listing", listing.id),
        f"refused: {said[:200]}",
    )
    _show_refusal(listing)


def _kept_back(heard: Heard, came: _Came) -> None:
    """Handles an update that was not sent because its listing got a gap meanwhile."""
    if heard.topic == Topic.PUBLISH:
        heard.listing.wish = "none"
        came.refused_heads[heard.listing.id] = heard.cause
    settle_state(heard.listing)


def _after_placing(session: Session, workplace: Workplace, placed: Sequence[Listing]) -> None:
    """Sends what changed while the channel was answering, now that the listings have a place; this
    includes a change of mind. The members of a family's page are sent once the page is there."""
    if not placed:
        return
    tellings = []
    for listing in placed:
        if listing.wish != "live":
            listing.wish = "down"
            tellings.append(_telling(listing, Topic.SHOWN))
    waiting = [
        member
        for member in members_of(
            session, [listing.id for listing in placed if listing.wish == "live"]
        )
        if member.wish == "live" and not member.placed
    ]
    rows = waiting_rows(session, [member.id for member in waiting])
    tellings += [_telling(member, Topic.PUBLISH, rows.get(member.id)) for member in waiting]
    for (
        listing
    ) in placed:  # what was worked out while it had no place holds, but nothing of it was told
        tellings += news(listing, set())
    tell(session, workplace, tellings)
    gapped = [listing.id for listing in placed if listing.gap_count]
    if gapped:  # a listing that has its place may stand at zero
        refresh_listings(session, workplace, listing_ids=gapped)


def _tell_what_changed_meanwhile(
    session: Session, workplace: Workplace, told: Sequence[tuple[Listing, str]]
) -> None:
    """Sends what has changed since an update that was accepted, for example because an answer was
    lost."""
    tellings = []
    for listing, topic in told:
        if topic == Topic.SHOWN and listing.shown != listing.to_show:
            tellings.append(_telling(listing, Topic.SHOWN))
        tellings += [one for one in news(listing, set()) if one.topic == topic]
    tell(session, workplace, tellings)


def _settle_on_pages(
    session: Session, workplace: Workplace, placed: Sequence[Listing], pages: dict[int, str]
) -> None:
    """Treats an offer that got a new page of the channel's catalogue like any other offer on a
    page: the channel decides what the page says, so nothing of it is outdated."""
    if not pages:
        return
    moved = []
    names = {
        key: workplace.rulebook(session.get_one(Channel, key)).page_field
        for key in {listing.channel_id for listing in placed}
    }
    for listing in placed:
        name, page = names[listing.channel_id], pages.get(listing.id, "")
        if name and page and listing.own.get(name) != page:
            listing.own = {**listing.own, name: page}
            moved.append(listing)
    if not moved:
        return
    refresh_listings(session, workplace, listing_ids=[listing.id for listing in moved])
    for listing in moved:
        listing.sent_content, listing.sent_pictures = listing.held_content, listing.held_pictures
        settle_state(listing)


def _telling(listing: Listing, topic: Topic, job_row_id: int | None = None) -> Telling:
    subject = listing_subject(listing.id)
    return Telling(listing.channel_id, subject, topic, topic_urgency(topic), listing.id, job_row_id)


def _after_refused_heads(session: Session, workplace: Workplace, refused: dict[int, str]) -> None:
    """Drops updates of variants whose head was refused, because a variant never goes out alone;
    each says so."""
    if not refused:
        return
    for member in members_of(session, list(refused)):
        if member.wish == "live" and not member.placed:
            member.wish = "none"
            reason = f"Its family’s page was refused: {refused[member.head_id or 0]}"
            settle_rows_of(session, workplace, member.id, ok=False, reason=reason[:400])
            settle_state(member)


def _said_in_update(listing: Listing, sent: Mapping[str, Any]) -> Said:
    """Returns what a listing said in an update; parts that the update did not contain are as they
    are held."""
    mark = sent.get("sent_content", listing.held_content) + sent.get(
        "sent_pictures", listing.held_pictures
    )
    numbers: dict[str, int | None] = {
        Topic.PRICE: sent.get("sent_price", listing.price),
        Topic.QUANTITY: sent.get("sent_quantity", listing.quantity),
    }
    return Said(sent.get("sent_fields", {}), mark, numbers)


def _show_refusal(listing: Listing) -> None:
    """Shows a refusal among the gaps without sending the same content again."""
    kept = [gap for gap in listing.gaps if gap["kind"] != "refused"]
    listing.gaps = [*kept, *(asdict(gap) for gap in refusal_gaps(listing))]
    settle_state(listing)
