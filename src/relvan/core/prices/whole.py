"""Prices of very many products at once, by the same rules as `channel_price` and without the whys.
The same list prices, costs and fee categories come up again and again, so results are remembered.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import NamedTuple

from relvan.core.money import Money
from relvan.core.prices.bounds import Costed
from relvan.core.prices.lowest import lowest_with_margin
from relvan.core.prices.steps import PriceStep, PriceTerms, after_step

MOST_KEPT = 50_000  # where all are different, to keep more is of no use


class WholePrice(NamedTuple):
    """A price in minor units of a currency; `floored` says that a floor raised it."""

    amount: int
    currency: str
    floored: bool


class Ladder:
    """Price steps, with the results that they led to before, by fee category; it belongs to one
    `WholePrices`."""

    def __init__(self, steps: Sequence[PriceStep]) -> None:
        self.steps = tuple(steps)
        self.led: dict[tuple[int, str], Money | str] = {}


class WholePrices:
    """Works out prices under the fees and rates of `terms`, from a list in the currency
    `listed_in`. Floors, costs and `delivery` are in minor units of the seller's `own` currency;
    `least_margin` is a percentage or None; `tax` is the percentage inside a price by tax code."""

    def __init__(
        self,
        terms: PriceTerms,
        listed_in: str,
        own: str,
        *,
        least_margin: Decimal | None = None,
        delivery: int = 0,
        tax: Mapping[str, Decimal] | None = None,
    ) -> None:
        self.terms, self.listed_in, self.own = terms, listed_in, own
        self.least_margin, self.delivery, self.tax = least_margin, delivery, tax or {}
        self._of_category: dict[str, PriceTerms] = {}
        self._lowest: dict[tuple[int, str, str, str], int | None] = {}

    def price(
        self, listed: Costed, base: int, category: str, ladder: Ladder, sale: int | None = None
    ) -> WholePrice | str:
        """Returns the price of one product from its list price in minor units, or from a `sale`
        price of the list when that leads to a lower one; or why there is no price."""
        regular = self._within(listed, self._led(base, category, ladder), category)
        if sale is None or isinstance(regular, str):
            return regular
        found = self._within(listed, self._led(sale, category, ladder), category)
        return regular if isinstance(found, str) or found.amount >= regular.amount else found

    def _led(self, start: int, category: str, ladder: Ladder) -> Money | str:
        found = ladder.led.get((start, category))
        if found is None:
            if len(ladder.led) >= MOST_KEPT:
                ladder.led.clear()
            found, terms = Money(start, self.listed_in), self._terms_in(category)
            for step in ladder.steps:
                if isinstance(found, str):
                    break
                found = after_step(found, step, terms)
            ladder.led[start, category] = found
        return found

    def _terms_in(self, category: str) -> PriceTerms:
        found = self._of_category.get(category)
        if found is None:
            found = self._of_category[category] = replace(self.terms, category=category)
        return found

    def _within(self, listed: Costed, money: Money | str, category: str) -> WholePrice | str:
        if isinstance(money, str):
            return money
        amount, currency = money.amount, money.currency
        floors = (
            self._there(listed.floor, currency),
            self._there(listed.advertised_minimum, currency),
            self._margin_floor(listed.cost, listed.tax_code, category, currency),
        )
        highest = max((floor for floor in floors if floor is not None), default=None)
        ceiling = self._there(listed.ceiling, currency)
        if ceiling is not None and amount > ceiling:
            amount = ceiling
        if highest is not None and amount < highest:
            return WholePrice(highest, currency, True)
        return WholePrice(amount, currency, False)

    def _there(self, amount: int | None, currency: str) -> int | None:
        """Converts an amount of the seller's currency into the channel's; None where there is no
        rate."""
        if amount is None or currency == self.own:
            return amount
        there = self.terms.rates.convert(Money(amount, self.own), currency)
        return None if there is None else there.amount

    def _margin_floor(
        self, cost: int | None, tax_code: str, category: str, currency: str
    ) -> int | None:
        if self.least_margin is None or cost is None:
            return None
        key = (cost, tax_code, category, currency)
        if key not in self._lowest:
            if len(self._lowest) >= MOST_KEPT:
                self._lowest.clear()
            there, delivery = self._there(cost, currency), self._there(self.delivery, currency)
            self._lowest[key] = (
                None
                if there is None or delivery is None
                else lowest_with_margin(
                    self.least_margin,
                    self.terms.fees,
                    cost=there,
                    delivery=delivery,
                    tax_percent=self.tax.get(tax_code, Decimal(0)),
                    category=category,
                )
            )
        return self._lowest[key]
