"""Explains why a product has its price on a channel."""

from relvan.core.money import Money
from relvan.core.prices.steps import NoPrice, Price
from relvan.core.refusal import not_found, refuse
from relvan.core.why import Why
from relvan.services.listings.offers import worked_out_listing, worked_out_unlisted
from relvan.services.prices.work_out import NO_ENTRY
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key
from relvan.store.listings import list_prices, listings_of
from relvan.store.prices import price_lists


def explain_price(workplace: Workplace, sku: str, channel_key: str = "") -> Price:
    """Returns the price on a channel with its why; without a channel, that of the first price list.
    Refused when there is no price."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        prices = list_prices(session, [product.id])
        if not channel_key:
            first = next(iter(price_lists(session)), None)
            base = prices.get((first.id, product.id)) if first else None
            if first is None or base is None:
                raise not_found("price of", product.sku)
            money = Money(base, first.currency)
            return Price(money, Why().then(first.name, str(money), "list price"))
        channel = channel_by_key(session, channel_key)
        here = [
            one
            for one in listings_of(session, product_ids=[product.id], channel_id=channel.id)
            if not one.alias
        ]
        if here and not here[0].is_head:
            found = worked_out_listing(session, workplace, here[0]).found or NO_ENTRY
        else:
            found = worked_out_unlisted(session, workplace, product.id, channel).found or NO_ENTRY
        if isinstance(found, NoPrice):
            if found is NO_ENTRY:
                raise not_found("price of", product.sku)
            raise refuse(
                "no-price",
                found.reason,
                "Look at the channel's price steps and at the rates.",
                "channel",
            )
        return found
