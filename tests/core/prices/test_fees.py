"""Tests what a channel keeps of a price, by the worked examples and by properties."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.rulebook import FeeRule
from relvan.core.prices.fees import SoldOne, fees_of, margin_with_why

FEES = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent=Decimal("2.9"))


@pytest.mark.parametrize(("price", "total"), [(2966, 566), (170, 70), (1260, 261), (0, 65)])
def test_fees_are_those_of_the_worked_examples(price, total):
    assert fees_of(price, FEES).total == total


def test_what_is_left_is_the_profit_of_the_worked_example():
    left = margin_with_why(2823, FEES, SoldOne(currency="EUR", cost=1150, delivery=380))
    assert (left.amount, left.fees.total, left.percent) == (283, 540, Decimal("12.0"))
    assert [step.label for step in left.why.steps] == [
        "Price there",
        "Tax",
        "Referral fee",
        "Fixed fee",
        "Payment fee",
        "Cost",
        "Delivery",
        "Margin",
    ]
    unknown = margin_with_why(2823, FEES, SoldOne(currency="EUR", cost=None, delivery=None))
    assert [step.value for step in unknown.why.steps if step.label in ("Cost", "Delivery")] == [
        "not known"
    ] * 2


@given(st.integers(0, 10_000_000))
def test_fees_never_fall_when_the_price_rises(price):
    assert fees_of(price + 1, FEES).total >= fees_of(price, FEES).total
