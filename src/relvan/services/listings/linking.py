"""Links listings that were found on a channel to products, undoes links, and creates products from
them. How a linked listing becomes ours says `placing.py`.
"""

import re
from collections.abc import Sequence
from typing import Any

from relvan.core.catalogue.identity import check_gtin, check_sku
from relvan.core.catalogue.product import MOST_TITLE, ProductDraft, ProductKind, Trait
from relvan.core.listings.rulebook import Rulebook
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.services import audit
from relvan.services.catalogue.save import save_many
from relvan.services.imports.by_address import fetch_pictures
from relvan.services.listings.placing import link
from relvan.services.listings.refresh import refresh_listings
from relvan.services.outbox.tell import drop_tellings
from relvan.services.verdicts import Verdict, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.findings import (
    ProductHint,
    finding_by_id,
    known_refs,
    linked_to,
    members_found,
)
from relvan.store.listings import is_spoken_of, members_of
from relvan.store.session import Session
from relvan.store.tables import Channel, Finding, Listing, PriceList, Product

_TAG = re.compile(r"<[^<>]*>")


def link_finding(workplace: Workplace, actor: Actor, finding_id: int, sku: str) -> int:
    """Links a listing that was found to a product by hand; returns the id of our listing."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        found = finding_by_id(session, finding_id)
        return link(session, workplace, actor, found, hint_of(find_product(session, sku)), "hand")


def link_findings(
    workplace: Workplace, actor: Actor, pairs: Sequence[tuple[int, str]]
) -> list[Verdict]:
    """Links many, each to a product; a refused one does not stop the others."""
    with workplace.database.reading() as session:
        below = {
            one
            for one, _ in pairs
            if (found := session.get(Finding, one)) is not None and found.head
        }
    verdicts = []
    for finding_id, sku in sorted(
        pairs, key=lambda pair: pair[0] in below
    ):  # pages before their variants
        try:
            link_finding(workplace, actor, finding_id, sku)
            verdicts.append(Verdict(str(finding_id), True))
        except Refused as refused:
            verdicts.append(refused_verdict(str(finding_id), refused))
    return verdicts


def hint_of(product: Product) -> ProductHint:
    """Returns the details of a product by which it is linked."""
    return ProductHint(
        product.id,
        product.sku,
        product.kind,
        product.title,
        product.brand,
        product.gtin or "",
        product.family_id,
    )


def unlink_finding(workplace: Workplace, actor: Actor, finding_id: int) -> None:
    """Undoes a link: the listing that was found is unlinked again, and our listing of it is gone,
    or is a draft again when updates were sent. For a family's page this includes its variants. The
    channel learns nothing of it."""
    actor.must(Right.LISTINGS)
    with workplace.database.writing() as session:
        found = finding_by_id(session, finding_id)
        if found.listing_id is None:
            raise refuse("nothing", f"“{found.ref}” is not linked.", "There is nothing to undo.")
        unlink_in(session, workplace, actor, found)


def unlink_in(session: Session, workplace: Workplace, actor: Actor, found: Finding) -> None:
    """Undoes a link inside a transaction."""
    listing = session.get_one(Listing, found.listing_id)
    members = (
        linked_to(session, [one.id for one in members_of(session, [listing.id])])
        if listing.is_head
        else []
    )
    for one in (*members, found):  # without its page none of its variants is ours there
        ours = session.get_one(Listing, one.listing_id)
        one.listing_id, one.linked_by = None, ""
        session.flush()
        audit.record(
            session,
            actor,
            workplace.now(),
            audit.Subject("listing", ours.id),
            f"link to {one.ref} taken back",
        )
        _forget_place(session, workplace, ours)


def _forget_place(session: Session, workplace: Workplace, listing: Listing) -> None:
    drop_tellings(session, workplace, [listing.id])
    if not is_spoken_of(session, listing.id):
        session.delete(listing)
        return
    listing.placed, listing.shown, listing.wish, listing.followed = False, False, "none", True
    listing.ref, listing.page, listing.until, listing.gone = "", "", None, ""
    listing.sent_price = listing.sent_quantity = None
    listing.sent_content = listing.sent_pictures = ""
    listing.sent_fields, listing.refusal = {}, []
    refresh_listings(session, workplace, listing_ids=[listing.id])


def products_from_findings(
    workplace: Workplace, actor: Actor, finding_ids: Sequence[int]
) -> list[Verdict]:
    """Creates products from listings that were found, families with all their variants, and links
    them; returns a verdict for each.

    They are not followed yet: their stock has not been counted, and the channel must not show 0
    because of that.
    """
    actor.must(Right.CATALOGUE)
    actor.must(Right.LISTINGS)
    verdicts = []
    for finding_id in dict.fromkeys(finding_ids):
        try:
            _make_one(workplace, actor, finding_id)
            verdicts.append(Verdict(str(finding_id), True))
        except Refused as refused:
            verdicts.append(refused_verdict(str(finding_id), refused))
    return verdicts


def _make_one(workplace: Workplace, actor: Actor, finding_id: int) -> None:
    with workplace.database.reading() as session:
        found = finding_by_id(session, finding_id)
        if found.listing_id is not None:
            raise refuse(
                "exists", f"“{found.ref}” is linked already.", "It has a product.", "finding"
            )
        channel = session.get_one(Channel, found.channel_id)
        book, price_list = (
            workplace.rulebook(channel),
            session.get_one(PriceList, channel.price_list_id),
        )
        if found.head:  # a variant is made with its family
            head = known_refs(session, channel.id, [found.head]).get(found.head)
            if head is not None and head.listing_id is None:
                found = head
        members = (
            members_found(session, channel.id, found.ref) if found.traits and not found.head else []
        )
    drafts = _drafts(book, found, members, price_list.key)
    made = save_many(workplace, actor, [(draft.sku, draft) for draft in drafts])
    refused = next((verdict for verdict in made if not verdict.ok), None)
    if refused is not None:
        raise refuse(
            refused.code, refused.message, "Link it by hand, or mend it there first.", "finding"
        )
    for one, draft in zip([found, *members], drafts, strict=True):
        with workplace.database.writing() as session:
            again = finding_by_id(session, one.id)
            if again.listing_id is None:
                hint = hint_of(find_product(session, draft.sku))
                link(session, workplace, actor, again, hint, "SKU")
                again.linked_by = "a new product"
        _fetch(workplace, actor, channel, draft.sku, one.pictures)


def _drafts(
    book: Rulebook, found: Finding, members: Sequence[Finding], price_list: str
) -> list[ProductDraft]:
    if not members:
        return [_draft(book, found, price_list)]
    axes = tuple(
        Trait(name, tuple(dict.fromkeys(str(member.traits.get(name, "")) for member in members)))
        for name in found.traits
    )
    head = _draft(book, found, "", kind=ProductKind.FAMILY, axes=axes)
    return [
        head,
        *(
            _draft(
                book,
                member,
                price_list,
                kind=ProductKind.VARIANT,
                family=head.sku,
                traits={name: str(value) for name, value in member.traits.items()},
            )
            for member in members
        ),
    ]


def _draft(book: Rulebook, found: Finding, price_list: str, **more: Any) -> ProductDraft:
    attributes, values = said_facts(book, found)
    gtin = found.gtin if found.gtin and not check_gtin(found.gtin) else None
    sku = found.sku if found.sku and not check_sku(found.sku) else found.ref
    prices = {price_list: found.price} if price_list and found.price else {}
    return ProductDraft(
        sku=sku,
        title=found.title[:MOST_TITLE] or sku,
        gtin=gtin,
        attributes=attributes,
        prices=prices,
        **{**({"brand": found.brand} if found.brand else {}), **values, **more},
    )


def said_facts(book: Rulebook, found: Finding) -> tuple[dict[str, str], dict[str, Any]]:
    """Returns what a listing says in its channel's fields: attributes by name, and other facts."""
    said = {name: without_tags(str(value)) for name, value in found.said.items()}
    attributes: dict[str, str] = {}
    values: dict[str, Any] = {}
    for rule in book.fields:
        value = said.get(rule.name, "")
        if not value or not rule.origin:
            continue
        if rule.attribute:
            attributes[rule.attribute.capitalize()] = value
        elif rule.origin in ("description", "brand"):
            values[rule.origin] = value
        elif rule.origin == "weight_g" and value.isdigit():
            values["weight_g"] = int(value)
    return attributes, values


def without_tags(text: str) -> str:
    """Returns a text without its tags."""
    return _TAG.sub(" ", text).strip()


def picture_addresses(channel: Channel, pictures: Sequence[str]) -> list[str]:
    """Returns the whole addresses of a listing's pictures."""
    scheme, _, rest = channel.address.partition("://")
    base = f"{scheme}://{rest.partition('/')[0]}"
    return [picture if "://" in picture else base + picture for picture in pictures]


def _fetch(
    workplace: Workplace, actor: Actor, channel: Channel, sku: str, pictures: Sequence[str]
) -> None:
    addresses = picture_addresses(channel, pictures)
    if addresses:
        fetch_pictures(workplace, actor, sku, addresses[:12])
