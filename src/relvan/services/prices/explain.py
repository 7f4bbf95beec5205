"""Why a product costs what it costs on a channel."""

from relvan.core.money import Money
from relvan.core.prices.steps import NoPrice, Price
from relvan.core.refusal import not_found, refuse
from relvan.core.why import Why
from relvan.services.prices.work_out import price_on
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key, channel_settings
from relvan.store.listed import listed_products
from relvan.store.listings import list_prices, listings_of
from relvan.store.prices import price_lists, rates_on


def explain_price(workplace: Workplace, sku: str, channel_key: str = "") -> Price:
    """The price on a channel with its why; without a channel, the first price list's. Refused when there is none."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        prices = list_prices(session, [product.id])
        if not channel_key:
            first = price_lists(session)[0]
            base = prices.get((first.id, product.id))
            if base is None:
                raise not_found("price of", product.sku)
            money = Money(base, first.currency)
            return Price(money, Why().then(first.name, str(money), "list price"))
        channel = channel_by_key(session, channel_key)
        settings = channel_settings(session)[channel.id]
        base = prices.get((settings.price_list.id, product.id))
        if base is None:
            raise not_found("price of", product.sku)
        listings = listings_of(session, product_ids=[product.id])
        category = next((listing.category for listing in listings if listing.channel_id == channel.id), "")
        price = price_on(
            settings, workplace.rulebook(channel), listed_products(session, [product.id])[product.id], base,
            own=workplace.settings.currency, category=category, rates=rates_on(session, workplace.now().date()),
        )  # fmt: skip
        if isinstance(price, NoPrice):
            raise refuse("no-price", price.reason, "Look at the channel's price steps and at the rates.", "channel")
        return price
