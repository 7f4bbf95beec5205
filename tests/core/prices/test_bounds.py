"""Tests which of several bounds holds a price."""

from decimal import Decimal

import pytest

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import Money
from relvan.core.prices.bounds import Bounds, LeastMargin
from relvan.core.prices.steps import (
    PriceTerms,
    channel_price,
)

FEES = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent=Decimal("2.9"))


BOUNDS = [  # floor, advertised, margin in percent, ceiling; the price of 20.00, what held it
    (None, None, None, None, 2000, None),
    (2100, None, None, None, 2100, "Floor"),
    (2100, 2200, None, None, 2200, "Advertised minimum"),
    (2300, 2200, None, None, 2300, "Floor"),
    (2100, 2200, 12, None, 2823, "Least margin 12 %"),
    (3000, None, 12, None, 3000, "Floor"),
    (None, None, None, 1800, 1800, None),
    (1900, None, None, 1800, 1900, "Floor"),
]


@pytest.mark.parametrize(("floor", "advertised", "percent", "ceiling", "amount", "name"), BOUNDS)
def test_the_highest_floor_holds_and_goes_before_the_ceiling(
    floor, advertised, percent, ceiling, amount, name
):
    euros = [None if one is None else Money(one, "EUR") for one in (floor, advertised, ceiling)]
    margin = (
        LeastMargin(Decimal(percent), Money(1150, "EUR"), Money(380, "EUR"), Decimal(20))
        if percent
        else None
    )
    terms = PriceTerms(fees=FEES, bounds=Bounds(euros[0], euros[1], margin, euros[2]))
    price = channel_price(Money(2000, "EUR"), [], terms)
    assert (price.money.amount, price.floored) == (amount, name is not None)
    held = [
        step.label for step in price.why.steps if step.detail == "held: the steps went below it"
    ]
    assert held == ([name] if name else [])


def test_a_least_margin_that_no_price_reaches_is_named_with_its_percentage():
    bounds = Bounds(margin=LeastMargin(Decimal(60), Money(500, "EUR"), Money(0, "EUR")))
    price = channel_price(
        Money(1000, "EUR"), (), PriceTerms(FeeRule(referral_percent=50), bounds=bounds)
    )
    told = [(step.label, step.value, step.detail) for step in price.why.steps]
    assert ("Least margin 60 %", "not compared", "no price reaches it after the fees there") in told
