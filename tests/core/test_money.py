"""Tests amounts as people type them."""

from decimal import Decimal

import pytest

from relvan.core.money import parse_amount, round_half_up
from relvan.core.refusal import Refused


@pytest.mark.parametrize(
    ("typed", "minor"),
    [
        ("24", 2400),
        ("24.5", 2450),
        ("24,50", 2450),
        ("1.234,50", 123450),
        ("1,234.50", 123450),
        ("1 234.50", 123450),
        ("0", 0),
        (".5", 50),
        ("1'000", 100000),
        ("1,000", 100000),
        ("99999999.99", 9999999999),
    ],
)
def test_amounts_as_people_type_them(typed, minor):
    assert parse_amount(typed, "EUR") == minor


@pytest.mark.parametrize(
    "typed", ["", "ten", "-5", "1e5", "12.345.6", "NaN", "inf", "1000000000", "<b>1</b>"]
)
def test_what_is_no_amount_is_refused(typed):
    with pytest.raises(Refused) as refused:
        parse_amount(typed, "EUR", "cost")
    assert refused.value.first.field == "cost"


def test_a_half_rounds_away_from_nothing():
    assert [round_half_up(Decimal(x)) for x in ("0.5", "1.5", "2.4999", "-0.5")] == [1, 2, 2, -1]
