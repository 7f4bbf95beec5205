"""Why so many are free, and why a channel shows so many."""

from relvan.core.stock.availability import NO_PACE, Shown, free_over, pace_of, shown_quantity
from relvan.services.workplace import Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key, channel_settings
from relvan.store.holdings import load_holdings
from relvan.store.paces import lag_minutes, sold_a_minute


def availability(workplace: Workplace, sku: str, channel_key: str = "") -> Shown:
    """What is free of a product, and what a channel shows or would show of it; without a channel, all that is free."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        holdings = load_holdings(session, [product.id])
        if not channel_key:
            free, why = free_over(holdings.of(product.id))
            return Shown(free, free, why)
        channel = channel_by_key(session, channel_key)
        settings = channel_settings(session)[channel.id]
        supplied = holdings.of(product.id, settings.supply_list)
        pace = NO_PACE
        if settings.policy.risk is not None:
            parts, now = holdings.leaves.get(product.id, {product.id: 1}), workplace.now()
            pace = pace_of(parts, sold_a_minute(session, parts, now), lag_minutes(session, channel.id, now))
        return shown_quantity(supplied, settings.policy, workplace.rulebook(channel).most_units, pace)
