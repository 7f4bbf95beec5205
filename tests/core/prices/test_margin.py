"""Tests the margin of a list price."""

import pytest
from hypothesis import strategies as st

from relvan.core.prices.margin import margin_of

words = st.text(alphabet="abcXYZ 09-", min_size=1, max_size=10).map(str.strip).filter(bool)


@pytest.mark.parametrize(
    ("amount", "cost", "tax", "inside", "words"),
    [
        (2400, 1000, "standard", True, "50.0 %"),
        (2400, 1200, "standard", False, "50.0 %"),
        (1000, 2000, "zero", True, "-100.0 %"),
        (1100, 500, "reduced", True, "50.0 %"),
    ],
)
def test_the_margin_of_a_list_price(amount, cost, tax, inside, words):
    assert margin_of(amount, cost, tax_code=tax, tax_inside=inside).words == words
