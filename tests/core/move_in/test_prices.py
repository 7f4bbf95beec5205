"""Tests how the prices of a channel are explained from a price list."""

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.money import Money
from relvan.core.move_in.prices import explain
from relvan.core.prices.rates import Rate, Rates
from relvan.core.prices.steps import (
    AmountStep,
    ConvertStep,
    EndingStep,
    PercentStep,
    PriceTerms,
    after_step,
)
from relvan.core.prices.told import told_steps

LIST = list(range(490, 9_000, 170))
RATES = Rates.on([Rate("EUR", "CHF", Decimal("0.95"), date(2026, 1, 1))], date(2026, 11, 1))


def led(amount, steps, rates=RATES):
    money = Money(amount, "EUR")
    for step in steps:
        money = after_step(money, step, PriceTerms(rates=rates))
    return money.amount


@pytest.mark.parametrize(
    "steps",
    [
        (),
        (PercentStep(Decimal(8)),),
        (PercentStep(Decimal("-7.5")),),
        (AmountStep(150),),
        (PercentStep(Decimal(8)), EndingStep((99,))),
        (PercentStep(Decimal(12)), EndingStep((95,), "up")),
        (EndingStep((49, 99)),),
    ],
)
def test_the_steps_behind_prices_are_found(steps):
    pairs = [(amount, led(amount, steps)) for amount in LIST]
    found = explain(pairs, "EUR", "EUR")
    assert found.right == found.of == len(LIST)
    assert found.enough
    assert [led(amount, found.steps) for amount in LIST] == [there for _, there in pairs]


def test_another_currency_is_converted_first():
    steps = (ConvertStep("CHF"), PercentStep(Decimal(4)), EndingStep((50,)))
    pairs = [(amount, led(amount, steps)) for amount in LIST]
    found = explain(pairs, "EUR", "CHF", RATES)
    assert (found.steps[0], found.enough) == (ConvertStep("CHF"), True)
    assert not explain(pairs, "EUR", "CHF").enough  # without a rate there is no way there


def test_prices_without_a_rule_and_too_few_of_them_are_not_explained():
    wild = [(amount, amount * 7 % 900 + 100) for amount in LIST]
    assert not explain(wild, "EUR", "EUR").enough
    assert not explain([(1_000, 1_080)], "EUR", "EUR").enough
    assert not explain([], "EUR", "EUR").enough


@given(st.lists(st.tuples(st.integers(1, 99_999), st.integers(1, 99_999)), max_size=30))
def test_what_is_said_to_be_right_is_right(pairs):
    found = explain(pairs, "EUR", "EUR")
    assert found.of == len(pairs)
    assert found.right == sum(led(base, found.steps) == there for base, there in pairs)


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        ([PercentStep(Decimal("-3.5"))], "list price - 3.5 %"),
        ([AmountStep(150)], "list price + 1.50 EUR"),
        (
            [ConvertStep("CHF"), EndingStep((50, 0), "up")],
            "list price in CHF, rounded up to end in 50 or 00",
        ),
    ],
)
def test_steps_are_said_in_words(steps, words):
    assert told_steps(steps, "EUR") == words
