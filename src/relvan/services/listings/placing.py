"""Makes listings that were found on a channel ours, one or many with the same queries.

A listing that is linked becomes one of ours as it stands on the channel: what the channel shows
counts as sent. Linked while reading or moving in, it is not followed yet, so that nothing changes on
the channel; linked by hand, it is.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.listings.cascade import told_value
from relvan.core.refusal import Refused, refuse
from relvan.services import audit
from relvan.services.listings.ground import WorkedOut, load_channels, load_ground, work_out
from relvan.services.listings.refresh import content_mark, refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.findings import (
    ProductHint,
    find_listing,
    head_on_channel,
    linked_on_page,
)
from relvan.store.listings import listings_of
from relvan.store.session import Session
from relvan.store.tables import Channel, Finding, Listing

# by what listings are linked that are not followed yet: while reading, and while moving in
NOT_FOLLOWED = ("SKU", "GTIN", "likeness", "a decision", "move in")


@dataclass(frozen=True)
class WantedLink:
    """A listing that was found, the product that it is to be linked to, and by what."""

    found: Finding
    product: ProductHint
    by: str


def link(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    found: Finding,
    product: ProductHint,
    by: str,
) -> int:
    """Makes a listing that was found one of ours; returns its id."""
    refused = link_all(session, workplace, actor, [WantedLink(found, product, by)])
    if refused:
        raise refused[found.id]
    assert found.listing_id is not None
    return found.listing_id


def link_all(
    session: Session, workplace: Workplace, actor: Actor, wanted: Sequence[WantedLink]
) -> dict[int, Refused]:
    """Makes many listings ours, families' pages before their variants. Returns why some are not, by
    the id of what was found."""
    refused: dict[int, Refused] = {}
    ids = []
    for wish in sorted(wanted, key=lambda one: bool(one.found.head)):
        try:
            listing = _placed_listing(session, workplace, wish)
        except Refused as refusal:
            refused[wish.found.id] = refusal
            continue
        ids.append(listing.id)
        words = f"linked to {wish.found.ref} by {wish.by}"
        subject = audit.Subject("listing", listing.id)
        audit.record(session, actor, workplace.now(), subject, words)
        if listing.is_head:
            _gather(session, wish.found, listing, wish.product)
    if ids:
        refresh_listings(session, workplace, listing_ids=ids)
        _take_as_sent(session, workplace, ids)
    return refused


def _placed_listing(session: Session, workplace: Workplace, wish: WantedLink) -> Listing:
    """Writes our listing as it stands on the channel; refused before anything is written."""
    found, product, by = wish.found, wish.product, wish.by
    if found.listing_id is not None:
        raise refuse(
            "exists", f"“{found.ref}” is linked already.", "Undo the link first.", "finding"
        )
    is_head = bool(found.traits) and not found.head
    if is_head != (product.kind == ProductKind.FAMILY):
        wanted = "is the page of a family" if is_head else "is no family"
        raise refuse(
            "kind",
            f"“{found.title[:60]}” {wanted}; “{product.sku}” {'is none' if is_head else 'is one'}.",
            "Choose another product.",
            "sku",
        )
    alias = _alias_of(session, found, product)
    listing = find_listing(session, found.channel_id, product.id, alias)
    if listing is not None and listing.placed:
        message = f"“{product.sku}” is on the channel already, as {listing.ref}."
        raise refuse("exists", message, "Choose another product, or take that one down.", "sku")
    now = workplace.now()
    if listing is None:
        listing = Listing(
            channel_id=found.channel_id,
            product_id=product.id,
            alias=alias,
            own={},
            refusal=[],
            gaps=[],
            created_at=now,
        )
    listing.is_head, listing.head_id = is_head, _head_of(session, found, product)
    listing.placed, listing.shown, listing.wish = True, found.live, "live" if found.live else "down"
    listing.ref, listing.page, listing.changed_at = found.ref, found.page, now
    listing.followed = by not in NOT_FOLLOWED
    listing.sent_price, listing.sent_quantity = (
        (None, 0) if is_head else (found.price, found.quantity)
    )
    listing.sent_fields = {name: str(value) for name, value in found.said.items()}
    if found.said.get("page"):  # the catalogue page that it stands on
        listing.own = {**listing.own, "page": str(found.said["page"])}
    session.add(listing)
    session.flush()
    found.listing_id, found.linked_by, found.product_id = listing.id, by, product.id
    return listing


def _take_as_sent(session: Session, workplace: Workplace, ids: Sequence[int]) -> None:
    """Takes what the channels show as the listings' own values where we say nothing. Where all is as
    we would say it, nothing is outdated; pictures cannot be compared."""
    listings = listings_of(session, listing_ids=ids)
    only_there = []
    for listing, ours in _worked_out(session, workplace, listings):
        shown = {
            name: value
            for name, value in listing.sent_fields.items()
            if name in ours.fields and not ours.fields[name].value and value
        }
        if shown:  # what nobody here says stays as it is there
            listing.own = {**shown, **listing.own}
            only_there.append(listing.id)
    if only_there:
        refresh_listings(session, workplace, listing_ids=only_there)
    for listing, ours in _worked_out(session, workplace, listings):
        book = workplace.rulebook(session.get_one(Channel, listing.channel_id))
        told = {
            rule.name: _plain(told_value(rule, ours.fields[rule.name].value))
            for rule in book.fields
        }
        if all(
            _plain(str(value)) == told.get(name, "")
            for name, value in listing.sent_fields.items()
            if name in told
        ):
            listing.sent_content = content_mark(ours)
        listing.sent_pictures = listing.held_pictures
    refresh_listings(session, workplace, listing_ids=ids)


def _worked_out(
    session: Session, workplace: Workplace, listings: Sequence[Listing]
) -> list[tuple[Listing, WorkedOut]]:
    ground = load_ground(session, listings, load_channels(session, workplace))
    return [(listing, work_out(listing, ground, workplace)) for listing in listings]


def _plain(text: str) -> str:
    return " ".join(text.split())


def _alias_of(session: Session, found: Finding, product: ProductHint) -> str:
    """Returns the alias of the product that it was found under, if it was one."""
    if not found.sku or sku_key(found.sku) == sku_key(product.sku):
        return ""
    try:
        named = find_product(session, found.sku)
    except Refused:
        return ""
    return found.sku if named.id == product.id else ""


def _head_of(session: Session, found: Finding, product: ProductHint) -> int | None:
    """Returns the listing of the family's page that the listing is on, when that page is linked to
    the product's family."""
    if not found.head:
        return None
    return head_on_channel(session, found.channel_id, found.head, product.family_id)


def _gather(session: Session, found: Finding, head: Listing, product: ProductHint) -> None:
    """Makes variants that were linked before their family's page members of it."""
    session.flush()
    for listing, family_id in linked_on_page(session, found.channel_id, found.ref):
        if family_id == product.id:
            listing.head_id = head.id
