"""Returns what is sent of a listing: its fields, price, quantity and picture files as they are now."""

from collections.abc import Mapping, Sequence

from relvan.core.money import Money
from relvan.gateways.channels.port import Offer, PictureFile
from relvan.services.catalogue.kept_pictures import picture_file
from relvan.services.listings.ground import Ground, WorkedOut, load_channels, load_ground, work_out
from relvan.services.stations import Sending
from relvan.services.workplace import Workplace
from relvan.store.listed import picture_kinds
from relvan.store.session import Session
from relvan.store.tables import Channel, Listing


def worked_out_listing(session: Session, workplace: Workplace, listing: Listing) -> WorkedOut:
    """Returns one listing as the rules give it now, with its sources and whys."""
    return work_out(
        listing, load_ground(session, [listing], load_channels(session, workplace)), workplace
    )


def worked_out_unlisted(
    session: Session, workplace: Workplace, product_id: int, channel: Channel
) -> WorkedOut:
    """Returns what a listing of a product would be on a channel where it is not listed, by the same
    steps as for one that is."""
    would_be = Listing(
        id=0,
        channel_id=channel.id,
        product_id=product_id,
        alias="",
        own={},
        is_head=False,
        placed=False,
        refusal=[],
        gaps=[],
    )
    return worked_out_listing(session, workplace, would_be)


def offers_of(
    session: Session, workplace: Workplace, listings: Sequence[Listing]
) -> dict[int, Sending]:
    """Returns everything that is sent of listings, by their ids, with a handful of queries."""
    ground = load_ground(session, listings, load_channels(session, workplace))
    worked_out = {listing.id: work_out(listing, ground, workplace) for listing in listings}
    kinds = picture_kinds(session, {sha for found in worked_out.values() for sha in found.pictures})
    return {
        listing.id: _sending(workplace, listing, worked_out[listing.id], ground, kinds)
        for listing in listings
    }


def _sending(
    workplace: Workplace,
    listing: Listing,
    found: WorkedOut,
    ground: Ground,
    kinds: Mapping[str, str],
) -> Sending:
    settings = ground.channels.settings[listing.channel_id]
    listed = ground.products[listing.product_id].under(listing.alias)
    book = workplace.rulebook(settings.channel)
    pictures = tuple(
        PictureFile(sha, kinds[sha], workplace.files.path(picture_file(sha, kinds[sha])))
        for sha in found.pictures
    )
    price = found.price.money if found.price else Money(0, book.currency)
    fields = {
        rule.name: found.told[rule.name]
        for rule in book.fields
        if rule.is_asked_of(found.place.part)
    }
    head = ground.heads.get(listing.head_id) if listing.head_id is not None else None
    traits = {trait.theirs: trait.value for trait in found.place.traits}
    offer = Offer(
        listed.product.sku,
        fields,
        price,
        found.shown.quantity,
        pictures,
        part=found.place.part,
        head=head.ref if head else "",
        traits=traits,
        regular=found.price.regular if found.price else None,
    )
    gap = next((gap.message for gap in found.readiness.gaps if gap.kind != "no stock"), "")
    return Sending(offer, found.said, gap)
