"""What is sent of a listing: its fields, price, quantity and picture files as they are now."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.money import Money
from relvan.gateways.channels.port import Offer, PictureFile
from relvan.services.catalogue.pictures import picture_file
from relvan.services.listings.refresh import WorkedOut, work_out
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_settings
from relvan.store.holdings import load_holdings
from relvan.store.listed import listed_products
from relvan.store.listings import list_prices
from relvan.store.tables import Listing, Picture


def worked_out_listing(session: Session, workplace: Workplace, listing: Listing) -> WorkedOut:
    """One listing as the rules give it now, with its sources and whys."""
    settings = channel_settings(session)[listing.channel_id]
    ids = [listing.product_id]
    base = list_prices(session, ids).get((settings.price_list.id, listing.product_id))
    supplied = load_holdings(session, ids).of(listing.product_id, settings.supply_list)
    listed = listed_products(session, ids)[listing.product_id]
    return work_out(listing, settings, workplace.rulebook(settings.channel), listed, base, supplied,
                    workplace.settings.currency)  # fmt: skip


def offer_of(session: Session, workplace: Workplace, listing: Listing) -> Offer:
    """Everything that is sent of a listing. Only for one without gaps."""
    found = worked_out_listing(session, workplace, listing)
    listed = listed_products(session, [listing.product_id])[listing.product_id].under(listing.alias)
    kinds = dict(session.execute(select(Picture.sha, Picture.kind).where(Picture.sha.in_(listed.pictures))).all())
    settings = channel_settings(session)[listing.channel_id]
    most = workplace.rulebook(settings.channel).pictures.most
    pictures = tuple(
        PictureFile(sha, kinds[sha], workplace.files.path(picture_file(sha, kinds[sha])))
        for sha in listed.pictures[:most]
    )
    price = found.price.money if found.price else Money(0, settings.price_list.currency)
    fields = {name: value.value for name, value in found.fields.items()}
    return Offer(listed.product.sku, fields, price, found.shown.quantity, pictures)
