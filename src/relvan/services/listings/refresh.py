"""Working listings out again after a change: fields, gaps, price, quantity, state; and telling what differs.

Runs inside the transaction of the change, for what the change touches and nothing else.
"""

import hashlib
import json
from collections.abc import Collection, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from relvan.core.catalogue.identity import sku_key
from relvan.core.channels.sending import Topic, quantity_urgency, topic_urgency
from relvan.core.listings.cascade import FieldValue, resolve_fields
from relvan.core.listings.gaps import Gap, Readiness, find_gaps
from relvan.core.listings.rulebook import Rulebook
from relvan.core.listings.state import ListingFacts, listing_state, topics_behind
from relvan.core.money import Money
from relvan.core.prices.steps import Price, channel_price
from relvan.core.stock.availability import Holding, Shown, shown_quantity
from relvan.core.why import Why
from relvan.services.outbox.tell import Telling, listing_subject, tell
from relvan.services.workplace import Workplace
from relvan.store.channels import ChannelSettings, channel_settings
from relvan.store.facts import kits_above
from relvan.store.holdings import load_holdings
from relvan.store.listed import Listed, listed_products
from relvan.store.listings import list_prices, listings_of, topics_under_way
from relvan.store.tables import Listing

CHUNK = 500
Sold = frozenset[tuple[int, int]]


@dataclass(frozen=True)
class WorkedOut:
    """A listing as the rules give it now."""

    fields: dict[str, FieldValue]
    price: Price | None
    shown: Shown
    readiness: Readiness
    content: str
    pictures: str


def refresh_listings(
    session: Session,
    workplace: Workplace,
    *,
    product_ids: Collection[int] | None = None,
    listing_ids: Collection[int] | None = None,
    channel_id: int | None = None,
    caused_at: datetime | None = None,
    sold: Sold = frozenset(),
) -> list[Listing]:
    """Work listings out again. `sold` holds (channel, product) pairs that a channel itself has just lowered."""
    session.flush()
    if product_ids is not None:  # what touches a part touches every kit that holds it
        product_ids = {*product_ids, *kits_above(session, product_ids)}
    listings = listings_of(session, product_ids=product_ids, listing_ids=listing_ids, channel_id=channel_id)
    settings = channel_settings(session) if listings else {}
    for start in range(0, len(listings), CHUNK):
        _refresh(session, workplace, listings[start : start + CHUNK], settings, caused_at, sold)
    return listings


def _refresh(
    session: Session,
    workplace: Workplace,
    listings: list[Listing],
    settings: dict[int, ChannelSettings],
    caused_at: datetime | None,
    sold: Sold,
) -> None:
    ids = {listing.product_id for listing in listings}
    products, prices, holdings = listed_products(session, ids), list_prices(session, ids), load_holdings(session, ids)
    tellings: list[Telling] = []
    under_way = topics_under_way(session, [listing.id for listing in listings if listing.placed])
    for listing in listings:
        found = settings[listing.channel_id]
        base = prices.get((found.price_list.id, listing.product_id))
        worked_out = work_out(
            listing, found, workplace.rulebook(found.channel), products[listing.product_id],
            base, holdings.of(listing.product_id, found.supply_list), workplace.settings.currency,
        )  # fmt: skip
        _keep(listing, worked_out)
        forced = (listing.channel_id, listing.product_id) in sold
        tellings += _news(listing, under_way, caused_at, forced=forced)
    session.flush()
    tell(session, workplace, tellings)


def work_out(
    listing: Listing,
    settings: ChannelSettings,
    book: Rulebook,
    listed: Listed,
    base: int | None,
    supplied: Sequence[Holding],
    own_currency: str,
) -> WorkedOut:
    """What the rules give for one listing, from loaded values only."""
    shown = shown_quantity(supplied, settings.policy, book.most_units)
    if listed.kind == "service":
        shown = Shown(book.most_units, book.most_units, Why().then("Service", book.most_units, "not counted"))
    if listing.alias and (face := listed.faces.get(sku_key(listing.alias))):
        base = face.prices.get(settings.price_list.key, base)
        listed = listed.under(listing.alias)
    price = price_on(settings, base, listed.floor, own_currency)
    fields = resolve_fields(book, listing.own, listed.product)
    amount = price.money.amount if price else None
    readiness = find_gaps(book, fields, listed.product, price=amount, quantity=shown.quantity, live=listing.placed)
    told = {name: value.value for name, value in fields.items()}
    pictures = listed.pictures[: book.pictures.most]
    return WorkedOut(fields, price, shown, readiness, fingerprint(told), fingerprint(pictures))


def price_on(settings: ChannelSettings, base: int | None, floor: int | None, own: str) -> Price | None:
    """The price on a channel, from the list price in minor units; none when the list has none. The floor is in the
    seller's `own` currency."""
    if base is None:
        return None
    money = Money(base, settings.price_list.currency)
    lowest = None if floor is None else Money(floor, own)
    return channel_price(money, settings.steps, floor=lowest, list_name=settings.price_list.name)


def fingerprint(value: object) -> str:
    """A short text that differs when the value does."""
    return hashlib.blake2b(json.dumps(value, sort_keys=True).encode(), digest_size=12).hexdigest()


def facts_of(listing: Listing) -> ListingFacts:
    """What the state of a kept listing is worked out from."""
    return ListingFacts(
        gaps=listing.gap_count,
        wish=listing.wish,  # type: ignore[arg-type]  # a CHECKed text column
        placed=listing.placed,
        shown=listing.shown,
        gone=listing.gone,
        refusal="; ".join(problem["says"] for problem in listing.refusal),
        held={
            "content": listing.held_content,
            "pictures": listing.held_pictures,
            "price": str(listing.price),
            "quantity": str(listing.quantity),
        },
        sent={
            "content": listing.sent_content,
            "pictures": listing.sent_pictures,
            "price": str(listing.sent_price),
            "quantity": str(listing.sent_quantity),
        },
    )


def settle_state(listing: Listing) -> None:
    """Work out a listing's state from what is kept of it."""
    facts = facts_of(listing)
    state, _ = listing_state(facts)
    behind = " ".join(topics_behind(facts))
    if (listing.state, listing.behind) != (state, behind):
        listing.state, listing.behind = state, behind


def _keep(listing: Listing, found: WorkedOut) -> None:
    if (listing.held_content, listing.held_pictures) != (found.content, found.pictures):
        listing.refusal = []
    gaps = [asdict(gap) for gap in (*found.readiness.gaps, *refusal_gaps(listing))]
    kept = {
        "held_content": found.content,
        "held_pictures": found.pictures,
        "price": found.price.money.amount if found.price else None,
        "floored": bool(found.price and found.price.floored),
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


def refusal_gaps(listing: Listing) -> list[Gap]:
    """What the channel said against a listing, as gaps in its words."""
    return [
        Gap(problem["field"], "refused", f"The channel says: {problem['says']}", "listing")
        for problem in listing.refusal
    ]


def _news(
    listing: Listing, under_way: set[tuple[int, str]], caused_at: datetime | None, *, forced: bool
) -> list[Telling]:
    """What a placed listing has to tell by itself: price and quantity. Content waits for a person to send it."""
    if not listing.placed:
        return []
    found = []
    subject = listing_subject(listing.id)
    if forced or listing.quantity != listing.sent_quantity or (listing.id, Topic.QUANTITY) in under_way:
        urgency = quantity_urgency(listing.sent_quantity, listing.quantity)
        found.append(Telling(listing.channel_id, subject, Topic.QUANTITY, urgency, listing.id, caused_at=caused_at))
    price_differs = listing.price != listing.sent_price or (listing.id, Topic.PRICE) in under_way
    if listing.price is not None and price_differs:
        found.append(Telling(listing.channel_id, subject, Topic.PRICE, topic_urgency(Topic.PRICE), listing.id))
    return found
