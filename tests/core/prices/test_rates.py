"""Tests conversion rates: which are refused, and which holds on a day."""

from datetime import date
from decimal import Decimal

import pytest

from relvan.core.money import Money
from relvan.core.prices.rates import Rate, Rates, check_rate

RATE = {"source": "EUR", "target": "CHF", "rate": Decimal("0.95"), "since": date(2026, 1, 1)}


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"source": "XYZ"}, "source"),
        ({"target": "EUR"}, "target"),
        ({"rate": Decimal(0)}, "rate"),
        ({"rate": Decimal("NaN")}, "rate"),
        ({"rate": Decimal(10**9)}, "rate"),
    ],
)
def test_a_rate_that_cannot_be_meant_is_refused(wrong, field):
    assert check_rate(Rate(**RATE)) == []
    assert [refusal.field for refusal in check_rate(Rate(**{**RATE, **wrong}))] == [field]


def test_of_rates_the_latest_day_that_has_come_counts():
    days = [Rate("EUR", "CHF", Decimal(one) / 100, date(2026, 1, one)) for one in (3, 1, 9)]
    assert Rates.on(days, date(2026, 1, 5)).between("EUR", "CHF")[0] == Decimal("0.03")
    assert Rates.on(days, date(2025, 1, 5)).between("EUR", "CHF") is None
    assert Rates.on([Rate("EUR", "JPY", Decimal(160), date(2026, 1, 1))], date(2026, 1, 1)).convert(
        Money(1999, "EUR"), "JPY"
    ) == Money(3198, "JPY")
