"""Tests how a list price becomes the price of a channel, step by step."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.listings.rulebook import FeeRule
from relvan.core.money import Money
from relvan.core.prices.bounds import Bounds
from relvan.core.prices.rates import Rate, Rates
from relvan.core.prices.steps import (
    AmountStep,
    ConvertStep,
    CoverFeesStep,
    EndingStep,
    NoPrice,
    PercentStep,
    PriceTerms,
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
    assert (
        channel_price(Money(1004, "EUR"), [PercentStep(Decimal("12.5"))]).money.amount == 1130
    )  # 1129.5
    assert channel_price(Money(1000, "EUR"), [percent, ending, amount]).money.amount == 1149
    assert channel_price(Money(1000, "EUR"), [amount, percent, ending]).money.amount == 1099


def test_the_floor_comes_last_and_says_whether_it_held():
    terms = PriceTerms(bounds=Bounds(Money(700, "EUR")))
    low = channel_price(Money(1000, "EUR"), [PercentStep(Decimal(-50))], terms)
    assert (low.money.amount, low.floored) == (700, True)
    high = channel_price(Money(1000, "EUR"), [], terms)
    assert (high.money.amount, high.floored) == (1000, False)
    assert [step.label for step in low.why.steps] == ["Price list", "Percent", "Floor", "Price"]


def test_a_floor_in_another_currency_comes_over_by_the_rate_or_holds_nothing_and_the_why_says_so():
    bounds = Bounds(Money(9900, "EUR"))
    price = channel_price(Money(1000, "CHF"), [], PriceTerms(bounds=bounds))
    assert (price.money, price.floored) == (Money(1000, "CHF"), False)
    assert price.why.steps[1].detail == "in EUR, and there is no rate to CHF"
    held = channel_price(Money(1000, "CHF"), [], PriceTerms(bounds=bounds, rates=FRANCS))
    assert (held.money, held.floored) == (Money(9405, "CHF"), True)


FRANCS = Rates.on([Rate("EUR", "CHF", Decimal("0.95"), date(2026, 1, 1))], date(2026, 2, 1))


FEES = FeeRule(referral_percent=15, least_referral=30, fixed=35, processing_percent=Decimal("2.9"))


def test_fees_are_covered_and_a_price_converted_in_the_order_of_the_steps():
    terms = PriceTerms(fees=FEES, rates=FRANCS)
    price = channel_price(
        Money(2400, "EUR"), [CoverFeesStep(), EndingStep((99, 49), "nearest")], terms
    )
    assert price.money == Money(2949, "EUR")
    assert [(step.label, step.value) for step in price.why.steps[1:3]] == [
        ("Cover fees", "29.66"),
        ("Ending", "29.49"),
    ]
    first = channel_price(Money(2400, "EUR"), [ConvertStep("CHF"), CoverFeesStep()], terms)
    last = channel_price(Money(2400, "EUR"), [CoverFeesStep(), ConvertStep("CHF")], terms)
    assert (first.money, last.money) == (Money(2820, "CHF"), Money(2818, "CHF"))
    assert "1 EUR = 0.95 CHF since 2026-01-01" in first.why.steps[1].detail
    back = channel_price(Money(950, "CHF"), [ConvertStep("EUR")], terms)
    assert back.money == Money(1000, "EUR")
    assert "the other way round" in back.why.steps[1].detail


def test_without_a_rate_or_where_fees_eat_all_there_is_no_price_and_it_is_said():
    none = channel_price(Money(2400, "EUR"), [ConvertStep("USD")], PriceTerms(rates=FRANCS))
    assert (type(none), none.reason) == (NoPrice, "There is no rate from EUR to USD.")
    greedy = FeeRule(referral_percent=Decimal(60), processing_percent=Decimal(40))
    none = channel_price(Money(2400, "EUR"), [CoverFeesStep()], PriceTerms(fees=greedy))
    assert none.reason == "The fees there eat up every price."


steps = st.lists(
    st.builds(PercentStep, st.decimals(-90, 200, places=1))
    | st.builds(AmountStep, st.integers(-500, 500))
    | st.builds(
        EndingStep,
        st.lists(st.integers(0, 99), min_size=1, max_size=3).map(tuple),
        st.sampled_from(["up", "down", "nearest"]),
    )
    | st.just(CoverFeesStep())
    | st.just(ConvertStep("EUR")),
    max_size=5,
)


@given(st.integers(1, 1_000_000), steps, st.none() | st.integers(0, 1_000_000))
def test_no_price_is_ever_below_its_floor_and_the_why_ends_in_it(base, ladder, floor):
    bounds = Bounds(None if floor is None else Money(floor, "EUR"))
    price = channel_price(Money(base, "EUR"), ladder, PriceTerms(bounds=bounds))
    assert price.money.amount >= (floor or 0)
    assert price.lowest == bounds.floor
    assert len(price.why.steps) == len(ladder) + 2 + (floor is not None)
    assert Decimal(price.why.steps[-1].value) * 100 == price.money.amount


@given(steps)
def test_steps_survive_being_kept_as_data(ladder):
    assert steps_from(steps_data(ladder)) == tuple(ladder)


@pytest.mark.parametrize(
    "data",
    [
        {"kind": "percent"},
        {"kind": "percent", "percent": "ten"},
        {"kind": "amount", "amount": "1.5"},
        {"kind": "ending", "endings": "99"},
        {"kind": "ending", "endings": ["x"]},
        {"kind": "ending", "endings": [99], "direction": "sideways"},
        {"kind": "double"},
        {},
    ],
)
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
