"""Works listings out again after a change (fields, gaps, price, quantity, state) and sends what
differs.

It runs inside the transaction of the change, for the listings that the change concerns.
"""

import hashlib
import json
from collections.abc import Collection, Sequence
from contextlib import nullcontext
from dataclasses import asdict, dataclass
from datetime import datetime

from relvan.core.channels.sending import Topic, quantity_urgency, topic_urgency
from relvan.core.channels.subject import listing_subject
from relvan.core.listings.gaps import Gap
from relvan.core.listings.refusals import ListingProblem, Said, still_standing
from relvan.core.listings.state import ListingFacts, listing_state, outdated_topics
from relvan.core.webhooks.announcing import Matter
from relvan.services.changes import Sold
from relvan.services.listings.ground import (
    Channels,
    WorkedOut,
    is_stray,
    load_channels,
    load_ground,
    work_out,
)
from relvan.services.outbox.tell import Telling, pending_of, tell
from relvan.services.uncollected import uncollected
from relvan.services.webhooks.announce import announce
from relvan.services.workplace import Workplace
from relvan.store.in_step import ListingInStep
from relvan.store.kits import kits_above
from relvan.store.listings import listing_ids_of, listings_of
from relvan.store.session import Session
from relvan.store.tables import Listing

CHUNK = 500
MANY = 100


@dataclass(frozen=True)
class Occasion:
    """Why listings are worked out again: when the sale behind it became known, if there was one;
    the (channel, product) pairs that a channel itself has just lowered; the cause in words; or
    `precaution` when nothing was sold."""

    caused_at: datetime | None = None
    sold: Sold = frozenset()
    cause: str = ""
    precaution: bool = False


NO_OCCASION = Occasion()


def refresh_listings(
    session: Session,
    workplace: Workplace,
    *,
    product_ids: Collection[int] | None = None,
    listing_ids: Collection[int] | None = None,
    channel_id: int | None = None,
    occasion: Occasion = NO_OCCASION,
) -> list[Listing]:
    """Works listings out again, and with the head of a family's page its members: those of some
    products, some by their ids, or all of a channel."""
    session.flush()
    if product_ids is not None:  # what touches a part touches every kit that holds it
        product_ids = {*product_ids, *kits_above(session, product_ids)}
    ids = listing_ids_of(
        session, product_ids=product_ids, listing_ids=listing_ids, channel_id=channel_id
    )
    channels = load_channels(session, workplace) if ids else None
    found: list[Listing] = []
    for start in range(0, len(ids), CHUNK):
        assert channels is not None
        with uncollected() if len(ids) >= MANY else nullcontext():
            listings = listings_of(session, listing_ids=ids[start : start + CHUNK])
            _refresh(session, workplace, listings, channels, occasion)
        found += listings
    return found


def _refresh(
    session: Session,
    workplace: Workplace,
    listings: list[Listing],
    channels: Channels,
    occasion: Occasion,
) -> None:
    ground = load_ground(session, listings, channels)
    tellings: list[Telling] = []
    priced: list[int] = []
    pending = pending_of(session, [listing.id for listing in listings if listing.placed])
    for listing in sorted(
        listings, key=lambda one: one.head_id is not None
    ):  # heads first: members look at them
        if (
            is_stray(listing, ground) and not listing.placed
        ):  # its product left the family: it stands by itself now
            listing.head_id = None
        worked_out = work_out(listing, ground, workplace)
        paused, price = listing.paused, (listing.price, listing.regular)
        _keep_worked_out(listing, worked_out)
        if (listing.price, listing.regular) != price:
            priced.append(listing.id)
        tellings += news(listing, pending.under_way, occasion)
        if listing.paused != paused:
            tellings += told_shown(listing, paused=listing.paused)
    session.flush()
    tell(session, workplace, tellings, pending)
    announce(session, workplace, Matter.PRICE, priced)


def fingerprint(value: object) -> str:
    """Returns a short text that differs when the value does."""
    return hashlib.blake2b(json.dumps(value, sort_keys=True).encode(), digest_size=12).hexdigest()


def listing_facts(listing: Listing | ListingInStep) -> ListingFacts:
    """Returns what the state of a listing is worked out from."""
    return ListingFacts(
        gaps=listing.gap_count,
        wish=listing.wish,  # type: ignore[arg-type]  # a CHECKed text column
        placed=listing.placed,
        shown=listing.shown,
        gone=listing.gone,
        paused=listing.paused,
        refusal="; ".join(problem["says"] for problem in listing.refusal),
        held={
            "content": listing.held_content,
            "pictures": listing.held_pictures,
            "price": _priced(listing.price, listing.regular),
            "quantity": str(listing.quantity),
        },
        sent={
            "content": listing.sent_content,
            "pictures": listing.sent_pictures,
            "price": _priced(listing.sent_price, listing.sent_regular),
            "quantity": str(listing.sent_quantity),
        },
    )


def _priced(amount: int | None, regular: int | None) -> str:
    return str(amount) if regular is None else f"{amount} instead of {regular}"


def settle_state(listing: Listing | ListingInStep) -> None:
    """Works out the state of a listing from what is kept of it."""
    facts = listing_facts(listing)
    state, _ = listing_state(facts)
    outdated = " ".join(outdated_topics(facts))
    if (listing.state, listing.outdated) != (state, outdated):
        listing.state, listing.outdated = state, outdated


def content_mark(found: WorkedOut) -> str:
    """Returns a short text that differs when the content does: all that is said, and nothing that
    is not."""
    return fingerprint({name: value for name, value in found.told.items() if value})


def _keep_worked_out(listing: Listing, found: WorkedOut) -> None:
    content, pictures = content_mark(found), fingerprint(found.pictures)
    if listing.refusal:
        said = Said(found.said, content + pictures, found.numbers)
        keep_refusal(listing, still_standing(problems_of(listing), said))
    gaps = [asdict(gap) for gap in (*found.readiness.gaps, *refusal_gaps(listing))]
    kept = {
        "held_content": content,
        "held_pictures": pictures,
        "category": found.category,
        "price": found.price.money.amount if found.price else None,
        "regular": found.regular,
        "paused": found.shown.paused,
        "margin": found.margin,
        "floored": bool(found.price and found.price.floored),
        "lowest": found.price.lowest.amount if found.price and found.price.lowest else None,
        "quantity": found.shown.quantity,
        "gaps": gaps,
        "gap_count": len(found.readiness.gaps),
        "demands": found.readiness.demands,
        "met": found.readiness.met,
    }
    for name, value in kept.items():
        if getattr(listing, name) != value:
            setattr(listing, name, value)
    settle_state(listing)


def problems_of(listing: Listing) -> list[ListingProblem]:
    """Returns what the channel has refused about a listing."""
    return [ListingProblem(**problem) for problem in listing.refusal]


def keep_refusal(listing: Listing, problems: Sequence[ListingProblem]) -> None:
    """Keeps what the channel has refused about a listing."""
    kept = [asdict(problem) for problem in problems]
    if kept != listing.refusal:
        listing.refusal = kept


def refusal_gaps(listing: Listing) -> list[Gap]:
    """Returns what the channel has refused about a listing, as gaps in its words."""
    return [
        Gap(problem["field"], "refused", f"The channel says: {problem['says']}", "listing")
        for problem in listing.refusal
    ]


def told_shown(listing: Listing | ListingInStep, *, paused: bool) -> list[Telling]:
    """Returns the update that hides a listing while its quantity is 0, or shows it again."""
    if (
        not (listing.placed and listing.followed and listing.wish == "live")
        or listing.shown is not paused
    ):
        return []
    urgency = topic_urgency(Topic.SHOWN)
    return [
        Telling(listing.channel_id, listing_subject(listing.id), Topic.SHOWN, urgency, listing.id)
    ]


def news(
    listing: Listing | ListingInStep,
    under_way: Collection[tuple[int, str]],
    occasion: Occasion = NO_OCCASION,
) -> list[Telling]:
    """Returns the updates of a placed listing that are sent without being asked: price and
    quantity. Content waits for a person to send it."""
    if not listing.placed or not listing.followed:
        return []
    found = []
    subject = listing_subject(listing.id)
    forced = (listing.channel_id, listing.product_id) in occasion.sold
    if (
        forced
        or listing.quantity != listing.sent_quantity
        or (listing.id, Topic.QUANTITY) in under_way
    ):
        urgency = quantity_urgency(
            listing.sent_quantity, listing.quantity, precaution=occasion.precaution
        )
        found.append(
            Telling(
                listing.channel_id,
                subject,
                Topic.QUANTITY,
                urgency,
                listing.id,
                caused_at=occasion.caused_at,
            )
        )
    priced, sent = (listing.price, listing.regular), (listing.sent_price, listing.sent_regular)
    if listing.price is not None and (priced != sent or (listing.id, Topic.PRICE) in under_way):
        urgency = topic_urgency(Topic.PRICE)
        payload = {"cause": occasion.cause} if occasion.cause else {}
        found.append(
            Telling(listing.channel_id, subject, Topic.PRICE, urgency, listing.id, payload=payload)
        )
    return found
