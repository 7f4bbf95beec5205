"""Tests how alike goods are, with the reasons."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from relvan.core.listings.likeness import Goods, alike, compare, nearest
from relvan.core.listings.translating import (
    suggest,
)


@pytest.mark.parametrize(
    ("ours", "theirs", "least", "most", "reason"),
    [
        (
            Goods("Pot", gtin="4006381333931"),
            Goods("Pot", gtin="04006381333931"),
            95,
            100,
            "same GTIN",
        ),
        (
            Goods("Pot", gtin="4006381333931"),
            Goods("Bicycle bell", gtin="4006381333931"),
            50,
            75,
            "same GTIN",
        ),
        (
            Goods("Aubrey pot", gtin="4006381333931"),
            Goods("Aubrey pot", gtin="2000000000015"),
            0,
            40,
            "other GTIN",
        ),
        (Goods("Aubrey pot, 14 cm", "Q"), Goods("Pot Aubrey 14 cm", "q"), 90, 100, "same brand"),
        (
            Goods("Aubrey pot, 14 cm"),
            Goods("Aubrey pot, 18 cm"),
            20,
            65,
            "other numbers: 14 against 18",
        ),
        (Goods("Aubrey pot"), Goods("Steel rake"), 0, 25, "titles"),
    ],
)
def test_likeness_has_reasons(ours, theirs, least, most, reason):
    found = compare(ours, theirs)
    assert least <= found.percent <= most
    assert any(told.startswith(reason) for told in found.reasons)


@given(st.text(max_size=40), st.text(max_size=40))
@example("", "\u00b8")  # of a mark by itself nothing is left
def test_likeness_is_the_same_both_ways_and_never_out_of_bounds(first, second):
    assert alike(first, second) == alike(second, first)
    assert 0 <= alike(first, second) <= 100
    assert 0 <= compare(Goods(first), Goods(second)).percent <= 100


def test_the_nearest_is_near_or_nothing():
    assert nearest("Stone-ware", ["steel", "stoneware"]) == "stoneware"
    assert nearest("beech", ["steel", "glass"]) == ""
    assert suggest("Celadon", ["green", "blue"], {"celadon": "green"}) == (
        "green",
        "used elsewhere",
    )
    assert suggest("Celadon", ["blue"], {"celadon": "green"}) == ("", "")
