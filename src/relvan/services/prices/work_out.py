"""The price of a product on a channel, from what is loaded of both."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Protocol

from relvan.core.listings.rulebook import Rulebook
from relvan.core.money import Money
from relvan.core.orders.tax import TAX_PERCENT
from relvan.core.prices.bounds import Bounds, LeastMargin
from relvan.core.prices.rates import Rates
from relvan.core.prices.remembered import FORGETFUL, Remembered
from relvan.core.prices.sales import SalePrice
from relvan.core.prices.steps import NoPrice, Price, PriceStep, PriceTerms, channel_price
from relvan.core.why import Why
from relvan.store.channels import ChannelSettings

NO_ENTRY = NoPrice("The product has no price on the channel's price list.", Why())


class Costed(Protocol):
    """What of a product bounds its price: floor, advertised minimum, ceiling and cost in minor units of the seller's
    currency, its tax code."""

    @property
    def floor(self) -> int | None:
        """Its own floor."""
        ...

    @property
    def advertised_minimum(self) -> int | None:
        """The lowest price that may be advertised."""
        ...

    @property
    def ceiling(self) -> int | None:
        """The highest price that may ever be sent."""
        ...

    @property
    def cost(self) -> int | None:
        """What one costs."""
        ...

    @property
    def tax_code(self) -> str:
        """How it is taxed."""
        ...


def price_on(
    settings: ChannelSettings,
    book: Rulebook,
    listed: Costed,
    base: int | None,
    *,
    own: str,
    category: str,
    rates: Rates,
    steps: Sequence[PriceStep] | None = None,
    sale: SalePrice | None = None,
    remembered: Remembered = FORGETFUL,
) -> Price | NoPrice:
    """The price on a channel, from the list price in minor units. Floor and cost are in the seller's `own` currency;
    the `steps` of a layer go instead of the channel's; a `sale` price of the list may hold now. Of many prices on one
    channel, with the same rates, each has the benefit of what is `remembered` of those before."""
    if base is None:
        return NO_ENTRY
    listed_at = settings.price_list
    terms = PriceTerms(book.fees, category, rates, _bounds(settings, listed, own), remembered)
    wanted = tuple(settings.steps if steps is None else steps)
    found = channel_price(Money(base, listed_at.currency), wanted, terms, list_name=listed_at.name, sale=sale)
    if isinstance(found, Price) and found.money.currency != book.currency:
        reason = f"The price comes out in {found.money.currency}; {book.name} sells in {book.currency}."
        return NoPrice(reason, found.why)
    return found


def _bounds(settings: ChannelSettings, listed: Costed, own: str) -> Bounds:
    floor = None if listed.floor is None else Money(listed.floor, own)
    advertised = None if listed.advertised_minimum is None else Money(listed.advertised_minimum, own)
    ceiling = None if listed.ceiling is None else Money(listed.ceiling, own)
    if settings.least_margin is None or listed.cost is None:
        return Bounds(floor, advertised, ceiling=ceiling)
    tax = TAX_PERCENT.get(listed.tax_code, Decimal(0)) if settings.price_list.tax_inside else Decimal(0)
    margin = LeastMargin(settings.least_margin, Money(listed.cost, own), Money(settings.delivery_cost, own), tax)
    return Bounds(floor, advertised, margin, ceiling)
