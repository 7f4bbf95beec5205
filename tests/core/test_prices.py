"""From list price to channel price; and reading amounts that a person typed."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.money import Money, parse_amount, round_half_up
from relvan.core.prices.steps import (
    AmountStep,
    EndingStep,
    PercentStep,
    apply_ending,
    channel_price,
    check_steps,
    steps_data,
    steps_from,
)
from relvan.core.refusal import Refused


@pytest.mark.parametrize(
    ("amount", "endings", "direction", "price"),
    [
        (2967, (99, 49), "up", 2999),
        (2967, (99, 49), "nearest", 2949),
        (2967, (99,), "down", 2899),
        (2999, (99,), "up", 2999),
        (2999, (99,), "down", 2999),
        (2974, (99, 49), "nearest", 2999),  # a tie goes up
        (40, (99,), "down", 99),  # nothing below: the lowest there is
        (5, (99, 49), "nearest", 49),
        (12345, (995,), "nearest", 11995),
        (100, (0,), "nearest", 100),
        (1, (0,), "down", 100),
    ],
)
def test_endings(amount, endings, direction, price):
    assert apply_ending(amount, EndingStep(endings, direction)) == price


@given(
    st.integers(1, 100_000),
    st.lists(st.integers(0, 99), min_size=1, max_size=4, unique=True).map(tuple),
    st.sampled_from(["up", "down", "nearest"]),
)
def test_an_ending_is_the_best_of_a_plain_search(amount, endings, direction):
    found = apply_ending(amount, EndingStep(endings, direction))
    every = [price for price in range(1, amount + 300) if price % 100 in endings]
    above = min(price for price in every if price >= amount)
    below = max((price for price in every if price <= amount), default=above)
    nearest = above if above - amount <= amount - below or below > amount else below
    assert found == {"up": above, "down": below, "nearest": nearest}[direction]


def test_steps_apply_in_their_order_and_each_rounds_half_up():
    percent, ending, amount = PercentStep(Decimal("12.5")), EndingStep((99,), "up"), AmountStep(-50)
    assert channel_price(Money(1001, "EUR"), [percent]).money.amount == 1126  # 1126.125
    assert channel_price(Money(1004, "EUR"), [PercentStep(Decimal("12.5"))]).money.amount == 1130  # 1129.5
    assert channel_price(Money(1000, "EUR"), [percent, ending, amount]).money.amount == 1149
    assert channel_price(Money(1000, "EUR"), [amount, percent, ending]).money.amount == 1099


def test_the_floor_comes_last_and_says_whether_it_held():
    low = channel_price(Money(1000, "EUR"), [PercentStep(Decimal(-50))], floor=Money(700, "EUR"))
    assert (low.money.amount, low.floored) == (700, True)
    high = channel_price(Money(1000, "EUR"), [], floor=Money(700, "EUR"))
    assert (high.money.amount, high.floored) == (1000, False)
    assert [step.label for step in low.why.steps] == ["Price list", "Percent", "Floor", "Price"]


def test_a_floor_in_another_currency_holds_nothing_and_the_why_says_so():
    price = channel_price(Money(1000, "CHF"), [], floor=Money(9900, "EUR"))
    assert (price.money, price.floored) == (Money(1000, "CHF"), False)
    assert price.why.steps[1].detail == "in EUR, not compared with CHF"


steps = st.lists(
    st.builds(PercentStep, st.decimals(-90, 200, places=1))
    | st.builds(AmountStep, st.integers(-500, 500))
    | st.builds(
        EndingStep,
        st.lists(st.integers(0, 99), min_size=1, max_size=3).map(tuple),
        st.sampled_from(["up", "down", "nearest"]),
    ),
    max_size=5,
)


@given(st.integers(1, 1_000_000), steps, st.none() | st.integers(0, 1_000_000))
def test_no_price_is_ever_below_its_floor_and_the_why_ends_in_it(base, ladder, floor):
    price = channel_price(Money(base, "EUR"), ladder, floor=None if floor is None else Money(floor, "EUR"))
    assert price.money.amount >= (floor or 0)
    assert len(price.why.steps) == len(ladder) + 2 + (floor is not None)
    assert Decimal(price.why.steps[-1].value) * 100 == price.money.amount


@given(steps)
def test_steps_survive_being_kept_as_data(ladder):
    assert steps_from(steps_data(ladder)) == tuple(ladder)


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "percent"}, {"kind": "percent", "percent": "ten"}, {"kind": "amount", "amount": "1.5"},
        {"kind": "ending", "endings": "99"}, {"kind": "ending", "endings": ["x"]},
        {"kind": "ending", "endings": [99], "direction": "sideways"}, {"kind": "double"}, {},
    ],
)  # fmt: skip
def test_data_that_is_no_step_is_refused(data):
    with pytest.raises(Refused):
        steps_from([data])


@pytest.mark.parametrize(
    ("ladder", "field"),
    [
        ([PercentStep(Decimal(-100))], "percent"),
        ([PercentStep(Decimal(1001))], "percent"),
        ([EndingStep(())], "endings"),
        ([EndingStep((10_000,))], "endings"),
        ([AmountStep(1)] * 13, "price_steps"),
    ],
)
def test_steps_out_of_bounds_are_refused(ladder, field):
    assert [refusal.field for refusal in check_steps(ladder)] == [field]


@pytest.mark.parametrize(
    ("typed", "minor"),
    [("24", 2400), ("24.5", 2450), ("24,50", 2450), ("1.234,50", 123450), ("1,234.50", 123450), ("1 234.50", 123450),
     ("0", 0), (".5", 50), ("1'000", 100000), ("1,000", 100000), ("99999999.99", 9999999999)],
)  # fmt: skip
def test_amounts_as_people_type_them(typed, minor):
    assert parse_amount(typed, "EUR") == minor


@pytest.mark.parametrize("typed", ["", "ten", "-5", "1e5", "12.345.6", "NaN", "inf", "1000000000", "<b>1</b>"])
def test_what_is_no_amount_is_refused(typed):
    with pytest.raises(Refused) as refused:
        parse_amount(typed, "EUR", "cost")
    assert refused.value.first.field == "cost"


def test_a_half_rounds_away_from_nothing():
    assert [round_half_up(Decimal(x)) for x in ("0.5", "1.5", "2.4999", "-0.5")] == [1, 2, 2, -1]
