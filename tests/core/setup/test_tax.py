"""Tests which rate of tax holds, and which rates are refused."""

from datetime import date, timedelta
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.setup.tax import TaxRate, TaxTable, check_registered, check_tax_rate, replaced

DAY = date(2026, 6, 1)


def rate(country="IE", code="standard", percent="23", since=DAY, **more):
    return TaxRate(country, code, Decimal(percent), since, **more)


@pytest.mark.parametrize(
    ("day", "percent"),
    [
        (DAY - timedelta(1), "20"),
        (DAY, "23"),
        (DAY + timedelta(29), "23"),
        (date(2026, 7, 1), "21"),
    ],
)
def test_a_rate_holds_from_its_day_until_a_later_one(day, percent):
    table = TaxTable((rate(), rate(percent="21", since=date(2026, 7, 1))), "IE")
    assert table.at_home(day)["standard"] == Decimal(percent)


def test_a_code_without_a_rate_has_the_usual_one():
    assert TaxTable((rate(),), "IE").at_home(DAY) == {
        "standard": Decimal(23),
        "reduced": Decimal(10),
        "zero": Decimal(0),
    }


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        (rate("XX"), "country"),
        (rate("ie"), "country"),
        (rate(code="super"), "code"),
        (rate(percent="-1"), "percent"),
        (rate(percent="100.01"), "percent"),
        (rate(percent="5.555"), "percent"),
        (rate(percent="NaN"), "percent"),
        (rate(percent="Infinity"), "percent"),
        (rate(origin="x" * 300), "origin"),
    ],
)
def test_wrong_rates_are_refused_with_the_field(wrong, field):
    assert [refusal.field for refusal in check_tax_rate(wrong)] == [field]


@pytest.mark.parametrize("percent", ["0", "5.5", "13.50", "25.5", "100"])
def test_right_rates_are_taken(percent):
    assert check_tax_rate(rate(percent=percent)) == []


def test_only_countries_can_be_registered_in():
    assert check_registered(["DE", "FR"]) == []
    assert check_registered(["DE", "Atlantis"])[0].field == "registered"


days = st.dates(date(2020, 1, 1), date(2030, 1, 1))
some_rates = st.lists(
    st.builds(
        rate,
        st.sampled_from(["IE", "DE"]),
        st.sampled_from(["standard", "reduced"]),
        st.integers(0, 99).map(str),
        days,
    ),
    max_size=8,
)


@given(some_rates, some_rates, days)
def test_setting_rates_twice_is_setting_them_once(before, new, day):
    once = replaced(before, new)
    assert replaced(once, new) == once
    assert len({one.key for one in once}) == len(once)
    table = TaxTable(tuple(once), "IE")
    begun = [one for one in once if one.country == "IE" and one.since <= day]
    for code in ("standard", "reduced"):
        own = [one for one in begun if one.code == code]
        if own:
            latest = max(own, key=lambda one: one.since)
            assert table.at_home(day)[code] == latest.percent
