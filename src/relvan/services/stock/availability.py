"""Why so many are free, and why a channel shows so many."""

from dataclasses import dataclass

from sqlalchemy.orm import Session

from relvan.core.stock.availability import Shown, StockPolicy, free_over, shown_quantity
from relvan.core.stock.nearest import NO_NEARER
from relvan.core.stock.pace import NO_PACE
from relvan.services.listings.ground import NOT_SOLD, load_channels, load_ground, policy_of, work_out
from relvan.services.listings.offers import worked_out_listing
from relvan.services.stock.paces import Paces
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key, channel_settings
from relvan.store.holdings import Holdings, load_holdings
from relvan.store.listed import listed_products
from relvan.store.listings import listings_of
from relvan.store.policies import nearer_policies, policy_places
from relvan.store.tables import Channel


def availability(workplace: Workplace, sku: str, channel_key: str = "") -> Shown:
    """What is free of a product, and what a channel shows or would show of it; without a channel, all that is free."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        holdings = load_holdings(session, [product.id])
        if not channel_key:
            free, why = free_over(holdings.of(product.id))
            return Shown(free, free, why)
        channel = channel_by_key(session, channel_key)
        here = [one for one in listings_of(session, product_ids=[product.id], channel_id=channel.id) if not one.alias]
        if here and not here[0].is_head:
            return worked_out_listing(session, workplace, here[0]).shown
        return _unlisted(session, workplace, product.id, channel, holdings)


def _unlisted(session: Session, workplace: Workplace, product_id: int, channel: Channel, holdings: Holdings) -> Shown:
    """What a channel would show of a product that is not listed there."""
    settings, listed = channel_settings(session)[channel.id], listed_products(session, [product_id])[product_id]
    if listed.kind == "family":
        return NOT_SOLD
    nearer = nearer_policies(session, policy_places(session), [], [product_id]).get(channel.id, NO_NEARER)
    found = nearer.nearest(
        settings.policy, listing=None, product=product_id, family=listed.family_id,
        category=listed.product.own_category,
    )  # fmt: skip
    paces = Paces(session, workplace, [product_id], holdings.leaves)
    pace = paces.of(product_id, channel.id) if found.policy.risk is not None else NO_PACE
    supplied, most = holdings.of(product_id, settings.supply_list), workplace.rulebook(channel).most_units
    return shown_quantity(supplied, found.policy, most, pace, whose=found.whose)


@dataclass(frozen=True)
class ShownOn:
    """What one listing of a product shows, whose stock policy that comes from ("" is the channel's), what it says."""

    listing_id: int
    channel: str
    channel_key: str
    alias: str
    state: str
    shown: Shown
    whose: str
    policy: StockPolicy


def shown_on(session: Session, workplace: Workplace, product_id: int) -> list[ShownOn]:
    """What every listing of a product shows, and why."""
    listings = [one for one in listings_of(session, product_ids=[product_id]) if not one.is_head]
    ground = load_ground(session, listings, load_channels(session, workplace))
    found = []
    for listing in listings:
        settings, listed = ground.channels.settings[listing.channel_id], ground.products[product_id]
        which, channel = policy_of(listing, ground, settings, listed), settings.channel
        shown = work_out(listing, ground, workplace).shown
        found.append(
            ShownOn(listing.id, channel.name, channel.key, listing.alias, listing.state, shown, which.whose,
                    which.policy)
        )  # fmt: skip
    return found
