"""Tests the margin of a channel price, with and without its why."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.rulebook import FeeRule
from relvan.core.prices.fees import SoldOne, margin_of_one, margin_with_why

FEES = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent=Decimal("2.9"))


@given(st.integers(1, 50_000), st.integers(0, 9_000), st.integers(0, 900))
def test_what_is_left_is_the_same_with_and_without_its_why(price, cost, delivery):
    found = margin_with_why(price, FEES, SoldOne(currency="EUR", cost=cost, delivery=delivery))
    amount, thousandths = margin_of_one(
        price, FEES, tax_percent=Decimal(20), category="", spent=cost + delivery
    )
    assert amount == found.amount
    if thousandths is not None:
        assert abs(Decimal(thousandths) / 10 - found.percent) <= Decimal("0.1")


@pytest.mark.parametrize(
    ("price", "spent", "found"), [(1000, 0, (956, 956)), (1000, 956, (0, 0)), (1000, 957, (-1, -1))]
)
def test_a_loss_is_below_nothing(price, spent, found):
    fees = FeeRule(fixed=44)
    assert margin_of_one(price, fees, tax_percent=Decimal(0), category="", spent=spent) == found
