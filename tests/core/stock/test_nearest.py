"""Tests which stock policy holds: the nearest."""

import pytest

from relvan.core.stock.availability import (
    StockBalance,
    StockPolicy,
    policy_data,
    policy_from,
    shown_quantity,
)
from relvan.core.stock.nearest import NearerPolicies

CHANNEL, POTS, INDOORS, FAMILY, PRODUCT, LISTING = (StockPolicy(cap=cap) for cap in range(1, 7))


@pytest.mark.parametrize(
    ("listing", "product", "family", "category", "cap", "whose"),
    [
        (1, 10, 100, "Pots / Indoors", 6, "of this listing"),
        (None, 10, 100, "Pots / Indoors", 5, "of the product"),
        (2, 10, 100, "Pots / Indoors", 5, "of the product"),
        (2, 11, 100, "Pots / Indoors", 4, "of the family"),
        (2, 11, None, "pots / INDOORS", 3, "of the category pots / INDOORS"),
        (2, 11, None, "Pots / Indoors / Hanging", 3, "of the category Pots / Indoors"),
        (2, 11, None, "Pots / Outdoors", 2, "of the category Pots"),
        (2, 11, None, "Potting", 1, ""),
        (2, 11, None, "", 1, ""),
    ],
)
def test_listing_product_family_category_channel(listing, product, family, category, cap, whose):
    nearer = NearerPolicies(
        {1: LISTING}, {10: PRODUCT, 100: FAMILY}, {"pots": POTS, "pots / indoors": INDOORS}
    )
    found = nearer.nearest(
        CHANNEL, listing=listing, product=product, family=family, category=category
    )
    assert (found.policy.cap, found.whose) == (cap, whose)


def test_the_why_says_whose_policy_it_is():
    shown = shown_quantity(
        [StockBalance("Millrace", 9)], StockPolicy(cap=4), whose="of the product"
    )
    assert [(step.label, step.value) for step in shown.why.steps] == [
        ("Millrace", "9"),
        ("Free", "9"),
        ("Stock rule", "of the product"),
        ("Cap", "4"),
        ("Shown", "4"),
    ]


@pytest.mark.parametrize(
    ("policy", "free", "paused"),
    [
        (StockPolicy(), 0, False),
        (StockPolicy(pause_at_zero=True), 0, True),
        (StockPolicy(pause_at_zero=True), 1, False),
        (StockPolicy(pause_at_zero=True, least=2), 1, True),
    ],
)
def test_a_listing_stays_up_at_zero_or_is_paused(policy, free, paused):
    assert shown_quantity([StockBalance("Millrace", free)], policy).paused is paused
    assert policy_from(policy_data(policy)) == policy
