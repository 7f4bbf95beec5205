"""Drafting listings of products on channels, and changing what a listing says of its own."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.listings.rulebook import FieldRule
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.listings.refresh import refresh_listings
from relvan.services.verdicts import Verdict, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product, sku_of
from relvan.store.channels import channel_by_key
from relvan.store.facts import relatives, traits_of_variants
from relvan.store.listings import listing_by_id
from relvan.store.tables import Channel, Listing

MOST_VALUE = 20_000


@dataclass(frozen=True)
class Drafted:
    """The drafts made, by id, and a verdict on every SKU."""

    listing_ids: tuple[int, ...]
    verdicts: tuple[Verdict, ...]


def draft_listings(workplace: Workplace, actor: Actor, channel_key: str, skus: Sequence[str]) -> Drafted:
    """Draft a listing of each product on a channel. One that is there already is left as it is, and said.

    A family is drafted as its variants; an alias gets a listing of its own, beside that of its product.
    """
    actor.must(Right.LISTINGS)
    made: list[Listing] = []
    verdicts = []
    with workplace.database.writing() as session:
        channel = channel_by_key(session, channel_key)
        for sku in _with_variants(session, skus):
            try:
                product = find_product(session, sku)
                alias = sku_of(session, sku) if sku_key(sku) != product.sku_key else ""
                if product.archived_at:
                    raise refuse("archived", f"“{sku}” is in the archive.", "Take it out first.")
                there = select(Listing.id).where(Listing.channel_id == channel.id, Listing.product_id == product.id)
                if session.scalar(there.where(Listing.alias == alias)):
                    raise refuse("exists", f"“{sku}” is on {channel.name} already.", "Open its listing instead.")
                listing = Listing(
                    channel_id=channel.id,
                    product_id=product.id,
                    alias=alias,
                    own={},
                    refusal=[],
                    gaps=[],
                    created_at=workplace.now(),
                    changed_at=workplace.now(),
                )
                session.add(listing)
                session.flush()
                audit.record(session, actor, workplace.now(), "listing", listing.id, "drafted")
                made.append(listing)
                verdicts.append(Verdict(sku, True))
            except Refused as refused:
                verdicts.append(refused_verdict(sku, refused))
        ids = tuple(listing.id for listing in made)
        if ids:
            refresh_listings(session, workplace, listing_ids=ids)
    return Drafted(ids, tuple(verdicts))


def _with_variants(session: Session, skus: Sequence[str]) -> list[str]:
    """The SKUs with those of families replaced by their variants'."""
    found: list[str] = []
    known = relatives(session, skus)
    for sku in skus:
        head = known.get(sku_key(sku))
        if head is None or head.kind != ProductKind.FAMILY:
            found.append(sku)
        else:
            found += [variant for _, variant, _ in traits_of_variants(session, head.id)]
    return found


def change_listings(workplace: Workplace, actor: Actor, listing_ids: Sequence[int], values: Mapping[str, str]) -> None:
    """Give listings values of their own; an empty value is taken from the product again. All or none."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        for listing_id in listing_ids:
            listing = listing_by_id(session, listing_id)
            channel = session.get_one(Channel, listing.channel_id)
            book = workplace.rulebook(channel)
            refuse_if_any(
                refusal for name, value in values.items() for refusal in check_value(book.field(name), name, value)
            )
            kept = {name: value for name, value in {**listing.own, **values}.items() if value}
            changes = {name: (listing.own.get(name, ""), value) for name, value in values.items()}
            if kept != listing.own:
                listing.own, listing.changed_at = kept, workplace.now()
                audit.record(session, actor, workplace.now(), "listing", listing.id, "changed", changes)
        refresh_listings(session, workplace, listing_ids=listing_ids)


def check_value(rule: FieldRule | None, name: str, value: str) -> list[Refusal]:
    """A value must be for a field of the channel, and not absurd; what the channel wants beyond that is a gap."""
    if rule is None:
        return [Refusal("unknown", f"The channel has no field “{name[:40]}”.", "Look at its rulebook.", name)]
    if len(value) > MOST_VALUE:
        message = f"“{rule.label}” must have at most {MOST_VALUE:,} characters; it has {len(value):,}."
        return [Refusal("too-long", message, "Shorten it.", name)]
    if any(ord(character) < 32 and character not in "\n\r\t" for character in value):
        return [Refusal("form", f"“{rule.label}” must be plain text.", "Remove control characters.", name)]
    return []
