"""Why a product costs what it costs on a channel."""

from sqlalchemy.orm import Session

from relvan.core.money import Money
from relvan.core.prices.steps import NoPrice, Price
from relvan.core.refusal import not_found, refuse
from relvan.core.why import Why
from relvan.services.listings.offers import worked_out_listing
from relvan.services.prices.work_out import NO_ENTRY, price_on
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key, channel_settings
from relvan.store.listed import listed_products
from relvan.store.listings import list_prices, listings_of
from relvan.store.prices import price_lists, rates_on, sales_holding
from relvan.store.tables import Channel


def explain_price(workplace: Workplace, sku: str, channel_key: str = "") -> Price:
    """The price on a channel with its why; without a channel, the first price list's. Refused when there is none."""
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
        here = [one for one in listings_of(session, product_ids=[product.id], channel_id=channel.id) if not one.alias]
        if here and not here[0].is_head:
            found = worked_out_listing(session, workplace, here[0]).found or NO_ENTRY
        else:
            found = _unlisted(session, workplace, product.id, channel)
        if isinstance(found, NoPrice):
            if found is NO_ENTRY:
                raise not_found("price of", product.sku)
            raise refuse("no-price", found.reason, "Look at the channel's price steps and at the rates.", "channel")
        return found


def _unlisted(session: Session, workplace: Workplace, product_id: int, channel: Channel) -> Price | NoPrice:
    """What a product would cost on a channel where it is not listed."""
    settings, now = channel_settings(session)[channel.id], workplace.now()
    place = (settings.price_list.id, product_id)
    return price_on(
        settings, workplace.rulebook(channel), listed_products(session, [product_id])[product_id],
        list_prices(session, [product_id]).get(place), own=workplace.settings.currency, category="",
        rates=rates_on(session, now.date()), sale=sales_holding(session, [product_id], now).get(place),
    )  # fmt: skip
