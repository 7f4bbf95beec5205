"""Works out the price of a product on a channel, from what is loaded of both."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from relvan.core.listings.rulebook import Rulebook
from relvan.core.money import Money
from relvan.core.orders.tax import TAX_PERCENT
from relvan.core.prices.bounds import Bounds, Costed, LeastMargin
from relvan.core.prices.rates import Rates
from relvan.core.prices.sales import SalePrice
from relvan.core.prices.steps import NoPrice, Price, PriceStep, PriceTerms, channel_price
from relvan.core.prices.whole import Ladder, WholePrice, WholePrices
from relvan.core.why import Why
from relvan.store.channels import ChannelSettings

NO_ENTRY = NoPrice("The product has no price on the channel's price list.", Why())


@dataclass(frozen=True)
class PriceGround:
    """What else a price depends on: the seller's `own` currency, in which floor and cost are; the
    channel's category; the rates; the `steps` of a layer, which replace the channel's; the sale
    price of the list that is valid now, if any; and the percentage of tax by code."""

    own: str
    category: str
    rates: Rates
    steps: Sequence[PriceStep] | None = None
    sale: SalePrice | None = None
    tax: Mapping[str, Decimal] = field(default_factory=lambda: TAX_PERCENT)


def price_on(
    settings: ChannelSettings,
    book: Rulebook,
    listed: Costed,
    base: int | None,
    ground: PriceGround,
) -> Price | NoPrice:
    """Returns the price on a channel, from the list price in minor units and what else it depends
    on."""
    if base is None:
        return NO_ENTRY
    listed_at = settings.price_list
    terms = PriceTerms(book.fees, ground.category, ground.rates, _bounds(settings, listed, ground))
    wanted = tuple(settings.steps if ground.steps is None else ground.steps)
    found = channel_price(
        Money(base, listed_at.currency), wanted, terms, list_name=listed_at.name, sale=ground.sale
    )
    if isinstance(found, Price) and found.money.currency != book.currency:
        return NoPrice(_elsewhere(found.money.currency, book), found.why)
    return found


class PricesOn:
    """The prices of very many products on a channel, as `price_on` gives them but without the whys.
    `rates` and the fees in the `book` need not be those of today."""

    def __init__(
        self,
        settings: ChannelSettings,
        book: Rulebook,
        *,
        own: str,
        rates: Rates,
        tax: Mapping[str, Decimal] = TAX_PERCENT,
    ) -> None:
        self._book = book
        self._whole = WholePrices(
            PriceTerms(book.fees, rates=rates),
            settings.price_list.currency,
            own,
            least_margin=settings.least_margin,
            delivery=settings.delivery_cost,
            tax=tax if settings.price_list.tax_inside else None,
        )
        self.ladder = Ladder(settings.steps)

    def price(
        self,
        listed: Costed,
        base: int | None,
        *,
        category: str,
        ladder: Ladder,
        sale: SalePrice | None,
    ) -> WholePrice | str:
        """Returns the price from a list price in minor units, or why there is none."""
        if base is None:
            return NO_ENTRY.reason
        found = self._whole.price(listed, base, category, ladder, sale.amount if sale else None)
        if not isinstance(found, str) and found.currency != self._book.currency:
            return _elsewhere(found.currency, self._book)
        return found


def _elsewhere(currency: str, book: Rulebook) -> str:
    return f"The price comes out in {currency}; {book.name} sells in {book.currency}."


def _bounds(settings: ChannelSettings, listed: Costed, ground: PriceGround) -> Bounds:
    own = ground.own
    floor = None if listed.floor is None else Money(listed.floor, own)
    advertised = (
        None if listed.advertised_minimum is None else Money(listed.advertised_minimum, own)
    )
    ceiling = None if listed.ceiling is None else Money(listed.ceiling, own)
    if settings.least_margin is None or listed.cost is None:
        return Bounds(floor, advertised, ceiling=ceiling)
    tax = (
        ground.tax.get(listed.tax_code, Decimal(0))
        if settings.price_list.tax_inside
        else Decimal(0)
    )
    margin = LeastMargin(
        settings.least_margin, Money(listed.cost, own), Money(settings.delivery_cost, own), tax
    )
    return Bounds(floor, advertised, margin, ceiling)
