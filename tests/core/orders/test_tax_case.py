"""Tests which tax is on a sale."""

from datetime import date
from decimal import Decimal

import pytest

from relvan.core.orders.tax_case import TaxKind, is_business_elsewhere, rates_in, tax_case
from relvan.core.setup.tax import TaxRate, TaxTable

DAY = date(2026, 11, 30)
RATES = (
    TaxRate("IE", "standard", Decimal(23), date(2020, 1, 1)),
    TaxRate("NL", "standard", Decimal(21), date(2020, 1, 1)),
    TaxRate("NL", "standard", Decimal(22), date(2027, 1, 1)),
    TaxRate("GB", "standard", Decimal(20), date(2020, 1, 1)),
)
IRISH = TaxTable(RATES, "IE", frozenset({"NL"}))
BRITISH = TaxTable(RATES, "GB", frozenset())
DUTCH_NUMBER, IRISH_NUMBER = "NL4495445B01", "IE6433435F"


@pytest.mark.parametrize(
    ("table", "country", "more", "kind", "percent", "category"),
    [
        (IRISH, "IE", {}, TaxKind.HOME, "23", "S"),
        (IRISH, "", {}, TaxKind.HOME, "23", "S"),
        (IRISH, "IE", {"number": DUTCH_NUMBER}, TaxKind.HOME, "23", "S"),
        (IRISH, "NL", {}, TaxKind.DESTINATION, "21", "S"),
        (IRISH, "DE", {}, TaxKind.OWN_RATE, "23", "S"),
        (IRISH, "NL", {"number": DUTCH_NUMBER}, TaxKind.BUSINESS, "0", "K"),
        (IRISH, "NL", {"number": "NL123"}, TaxKind.DESTINATION, "21", "S"),
        (IRISH, "DE", {"number": IRISH_NUMBER}, TaxKind.OWN_RATE, "23", "S"),
        (IRISH, "CH", {}, TaxKind.EXPORT, "0", "G"),
        (IRISH, "CH", {"number": DUTCH_NUMBER}, TaxKind.EXPORT, "0", "G"),
        (IRISH, "GB", {"collected": True}, TaxKind.COLLECTED, "20", "S"),
        (BRITISH, "NL", {}, TaxKind.EXPORT, "0", "G"),
        (BRITISH, "NL", {"number": DUTCH_NUMBER}, TaxKind.EXPORT, "0", "G"),
        (TaxTable(RATES), "NL", {}, TaxKind.HOME, "21", "S"),
    ],
)
def test_the_rate_of_a_sale(table, country, more, kind, percent, category):
    case = tax_case(table, country, **more)
    rate = rates_in(table, case, DAY)["standard"]
    assert (case.kind, rate, case.category(rate)) == (kind, Decimal(percent), category)
    assert bool(case.words) == (kind in (TaxKind.BUSINESS, TaxKind.EXPORT, TaxKind.COLLECTED))
    assert bool(case.exemption) == (kind in (TaxKind.BUSINESS, TaxKind.EXPORT))


def test_a_rate_changes_on_its_day():
    case = tax_case(IRISH, "NL")
    assert rates_in(IRISH, case, date(2026, 12, 31))["standard"] == 21
    assert rates_in(IRISH, case, date(2027, 1, 1))["standard"] == 22


def test_a_rate_of_0_at_home_is_zero_rated():
    assert tax_case(IRISH, "IE").category(Decimal(0)) == "Z"


@pytest.mark.parametrize(
    ("number", "elsewhere"),
    [
        (DUTCH_NUMBER, True),
        ("nl 4495445b01", True),
        (IRISH_NUMBER, False),
        ("NL4495446B01", False),
        ("EL094259216", True),
        ("CHE-107.787.577", False),
        ("", False),
    ],
)
def test_a_business_elsewhere_in_the_union_has_a_number_of_the_right_form(number, elsewhere):
    assert is_business_elsewhere(number, "IE") == elsewhere
