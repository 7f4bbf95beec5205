"""Tests the tax inside an amount."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.tax import tax_inside


@pytest.mark.parametrize(
    ("gross", "percent", "tax"),
    [(2400, 20, 400), (999, 20, 166), (100, 0, 0), (1100, 10, 100), (1, 20, 0)],
)
def test_the_tax_inside_an_amount(gross, percent, tax):
    assert tax_inside(gross, Decimal(percent)) == tax


@given(st.integers(0, 10**9), st.decimals(0, 30, places=1))
def test_net_and_tax_are_the_gross(gross, percent):
    tax = tax_inside(gross, percent)
    assert 0 <= tax <= gross
    assert abs((gross - tax) * (1 + percent / 100) - gross) <= 1
