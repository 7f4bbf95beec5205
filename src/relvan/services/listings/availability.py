"""Explains why so many units of a product are free, and why a channel shows so many."""

from dataclasses import dataclass

from relvan.core.catalogue.product import ProductKind
from relvan.core.stock.availability import Shown, StockPolicy, free_over
from relvan.core.why import Why
from relvan.services.listings.ground import load_channels, load_ground, policy_of, work_out
from relvan.services.listings.offers import worked_out_listing, worked_out_unlisted
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key
from relvan.store.holdings import load_holdings
from relvan.store.listings import listings_of
from relvan.store.session import Session
from relvan.store.tables import Channel


def availability(workplace: Workplace, sku: str, channel_key: str = "") -> Shown:
    """Returns what is free of a product, and what a channel shows or would show of it; without a
    channel, all that is free."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        if channel_key:
            return _on_channel(session, workplace, product.id, channel_by_key(session, channel_key))
        if product.kind == ProductKind.SERVICE:
            return Shown(0, 0, Why().then("Service", "not counted", "a service is not stocked"))
        free, why = free_over(load_holdings(session, [product.id]).of(product.id))
        return Shown(free, free, why)


def _on_channel(session: Session, workplace: Workplace, product_id: int, channel: Channel) -> Shown:
    found = listings_of(session, product_ids=[product_id], channel_id=channel.id)
    here = next((listing for listing in found if not listing.alias and not listing.is_head), None)
    if here is not None:
        return worked_out_listing(session, workplace, here).shown
    return worked_out_unlisted(session, workplace, product_id, channel).shown


@dataclass(frozen=True)
class ShownOn:
    """What one listing of a product shows, which exception its stock rule comes from ("" for the
    channel's own rule), and what the rule says."""

    listing_id: int
    channel: str
    channel_key: str
    alias: str
    state: str
    shown: Shown
    whose: str
    policy: StockPolicy


def shown_on(session: Session, workplace: Workplace, product_id: int) -> list[ShownOn]:
    """Returns what every listing of a product shows, and why."""
    listings = [one for one in listings_of(session, product_ids=[product_id]) if not one.is_head]
    ground = load_ground(session, listings, load_channels(session, workplace))
    found = []
    for listing in listings:
        settings, listed = ground.channels.settings[listing.channel_id], ground.products[product_id]
        which, channel = policy_of(listing, ground, settings, listed), settings.channel
        shown = work_out(listing, ground, workplace).shown
        found.append(
            ShownOn(
                listing.id,
                channel.name,
                channel.key,
                listing.alias,
                listing.state,
                shown,
                which.whose,
                which.policy,
            )
        )
    return found
