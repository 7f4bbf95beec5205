"""Prices of very many products at once come out as those that are worked out one by one with their
whys."""

from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import Money
from relvan.core.orders.tax import TAX_PERCENT, net_in, tax_inside
from relvan.core.prices import whole
from relvan.core.prices.bounds import Bounds, LeastMargin
from relvan.core.prices.fees import fees_in, fees_of
from relvan.core.prices.rates import Rate, Rates
from relvan.core.prices.sales import SalePrice
from relvan.core.prices.steps import (
    AmountStep,
    ConvertStep,
    CoverFeesStep,
    EndingStep,
    NoPrice,
    PercentStep,
    PriceTerms,
    channel_price,
)
from relvan.core.prices.whole import Ladder, WholePrices

RATES = Rates.on([Rate("EUR", "CHF", Decimal("0.94"), date(2026, 1, 1))], date(2026, 11, 1))
FEES = FeeRule(
    referral_percent=15,
    referral_in={"books": 8},
    least_referral=30,
    fixed=35,
    processing_percent="2.9",
)
WINDOW = (datetime(2026, 11, 1, tzinfo=UTC), datetime(2026, 12, 1, tzinfo=UTC))
AMOUNT = st.none() | st.integers(0, 5_000)


@dataclass(frozen=True)
class Goods:
    """What of a product bounds its price."""

    floor: int | None = None
    advertised_minimum: int | None = None
    ceiling: int | None = None
    cost: int | None = None
    tax_code: str = "standard"


goods = st.builds(
    Goods, AMOUNT, AMOUNT, AMOUNT, AMOUNT, st.sampled_from(["standard", "zero", "unknown"])
)
ladders = st.lists(
    st.builds(PercentStep, st.decimals(-90, 200, places=1))
    | st.builds(AmountStep, st.integers(-500, 500))
    | st.builds(EndingStep, st.just((99, 49)), st.sampled_from(["up", "down", "nearest"]))
    | st.just(CoverFeesStep())
    | st.builds(ConvertStep, st.sampled_from(["EUR", "CHF", "JPY"])),
    max_size=4,
)
wishes = st.tuples(st.integers(1, 5_000), goods, st.sampled_from(["", "books"]), AMOUNT)


def alone(listed_in, steps, category, margin, base, one, sale):
    """Returns the same price with its why."""
    least = None
    if margin is not None and one.cost is not None:
        tax = TAX_PERCENT.get(one.tax_code, Decimal(0))
        least = LeastMargin(margin, Money(one.cost, "EUR"), Money(380, "EUR"), tax)
    floor, advertised, ceiling = (
        None if amount is None else Money(amount, "EUR")
        for amount in (one.floor, one.advertised_minimum, one.ceiling)
    )
    terms = PriceTerms(FEES, category, RATES, Bounds(floor, advertised, least, ceiling))
    window = None if sale is None else SalePrice(sale, *WINDOW)
    found = channel_price(Money(base, listed_in), steps, terms, sale=window)
    return (
        found.reason
        if isinstance(found, NoPrice)
        else (found.money.amount, found.money.currency, found.floored)
    )


@given(
    st.sampled_from(["EUR", "CHF", "SEK"]),
    ladders,
    st.lists(wishes, max_size=6),
    st.sampled_from([None, "12", "60"]),
)
def test_they_come_out_as_one_by_one(listed_in, steps, wanted, margin):
    margin = None if margin is None else Decimal(margin)
    together = WholePrices(
        PriceTerms(FEES, rates=RATES),
        listed_in,
        "EUR",
        least_margin=margin,
        delivery=380,
        tax=TAX_PERCENT,
    )
    ladder = Ladder(steps)
    for base, one, category, sale in wanted * 2:  # the second time from what is kept
        found = together.price(one, base, category, ladder, sale)
        assert found == alone(listed_in, steps, category, margin, base, one, sale)


def test_what_is_kept_does_not_grow_for_ever(monkeypatch):
    monkeypatch.setattr(whole, "MOST_KEPT", 3)
    together = WholePrices(PriceTerms(FEES), "EUR", "EUR", least_margin=Decimal(12))
    ladder = Ladder([PercentStep(Decimal(10))])
    found = [
        together.price(Goods(cost=cost), 1_000 + cost, "", ladder).amount for cost in range(1, 21)
    ]
    assert found == [1_100 + round(cost * 1.1 + 1e-9) for cost in range(1, 21)]
    assert len(ladder.led) <= 3


@pytest.mark.parametrize("percent", ["0", "10", "20", "7.7"])
@given(amount=st.integers(0, 10**9))
def test_what_is_left_without_tax_is_the_rest_of_the_tax(percent, amount):
    assert net_in(Decimal(percent))(amount) == amount - tax_inside(amount, Decimal(percent))


@given(st.integers(0, 10**9), st.sampled_from(["", "books", "pots"]))
def test_fees_made_ready_are_the_fees(price, category):
    assert fees_in(FEES, category)(price) == fees_of(price, FEES, category).total
