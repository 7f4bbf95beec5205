"""Tests sale prices: when they hold, what they lead to, what is refused."""

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.money import Money
from relvan.core.prices.bounds import Bounds
from relvan.core.prices.sales import SalePrice, check_sale, sale_at
from relvan.core.prices.steps import (
    ConvertStep,
    EndingStep,
    NoPrice,
    PercentStep,
    PriceTerms,
    channel_price,
)

NOON = datetime(2026, 11, 24, 12, tzinfo=UTC)
HOUR = timedelta(hours=1)


def sale(amount, start=-1, end=1):
    return SalePrice(amount, NOON + start * HOUR, NOON + end * HOUR)


@pytest.mark.parametrize(
    ("sales", "amount"),
    [
        ([], None),
        ([sale(900)], 900),
        ([sale(900, 0)], 900),  # the start belongs to it
        ([sale(900, -2, 0)], None),  # the end does not
        ([sale(900, 1, 2)], None),
        ([sale(900), sale(800), sale(700, 1, 2)], 800),
    ],
)
def test_the_lowest_of_the_open_windows_holds(sales, amount):
    found = sale_at(sales, NOON)
    assert (found and found.amount) == amount


def test_a_sale_price_goes_through_the_same_steps_and_keeps_the_regular_one_beside():
    steps = [PercentStep(Decimal(10)), EndingStep((99,), "nearest")]
    found = channel_price(Money(2000, "EUR"), steps, list_name="Retail", sale=sale(1500))
    assert (found.money.amount, found.regular.amount) == (1699, 2199)
    labels = [step.label for step in found.why.steps]
    assert labels == ["Retail, sale price", "Percent", "Ending", "Price", "Instead of"]
    assert found.why.steps[0].detail == "from 2026-11-24 11:00 until 2026-11-24 13:00 UTC"


@pytest.mark.parametrize(
    ("floor", "shown", "regular"),
    [
        (None, 1500, 2000),
        (1400, 1500, 2000),
        (1800, 1800, 2000),
        (2000, 2000, None),
        (2500, 2500, None),
    ],
)
def test_the_floor_holds_for_it_too_and_what_is_no_lower_is_no_sale(floor, shown, regular):
    terms = PriceTerms(bounds=Bounds(None if floor is None else Money(floor, "EUR")))
    found = channel_price(Money(2000, "EUR"), [], terms, sale=sale(1500))
    assert found.money.amount == shown
    assert (found.regular and found.regular.amount) == regular
    assert ("not lower" in [step.value for step in found.why.steps]) is (regular is None)


def test_without_a_rate_there_is_no_price_on_sale_either():
    assert isinstance(
        channel_price(Money(2000, "EUR"), [ConvertStep("CHF")], sale=sale(1500)), NoPrice
    )


@given(
    st.integers(2, 90_000),
    st.integers(1, 89_999),
    st.integers(-60, 60),
    st.none() | st.integers(1, 90_000),
    st.none() | st.integers(1, 90_000),
)
def test_a_sale_never_makes_a_price_higher_or_breaks_a_floor(base, amount, percent, floor, ceiling):
    euros = [None if one is None else Money(one, "EUR") for one in (floor, ceiling)]
    steps, terms = (
        [PercentStep(Decimal(percent))],
        PriceTerms(bounds=Bounds(euros[0], ceiling=euros[1])),
    )
    plain = channel_price(Money(base, "EUR"), steps, terms)
    found = channel_price(Money(base, "EUR"), steps, terms, sale=sale(amount))
    assert found.money.amount <= plain.money.amount
    assert found.money.amount >= (floor or 0)
    assert (found.regular is None) is (found.money == plain.money)
    assert found.regular in (None, plain.money)


@pytest.mark.parametrize(
    ("wish", "regular", "others", "field"),
    [
        (sale(0), 2000, [], "amount"),
        (sale(2000), 2000, [], "amount"),
        (sale(1500), None, [], "amount"),
        (sale(1500, 2, 1), 2000, [], "until"),
        (sale(1500, -3, -2), 2000, [], "until"),
        (sale(1500, 0, 2), 2000, [sale(1400, 1, 3)], "since"),
    ],
)
def test_what_is_no_sale_is_refused(wish, regular, others, field):
    assert [refusal.field for refusal in check_sale(wish, regular, others, NOON)] == [field]


def test_windows_may_follow_one_another():
    assert check_sale(sale(1500, 1, 2), 2000, [sale(1400, -1, 1), sale(1300, 2, 3)], NOON) == []
