"""Tests what goes into which parcel."""

from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.packing.parcels import MOST_GRAMS, Packed, check_parcel, open_units


@pytest.mark.parametrize(
    ("lines", "grams", "codes"),
    [
        ([Packed("A", 2), Packed("B", 1)], 700, []),
        ([Packed("A", 1), Packed("A", 1)], 700, []),
        ([Packed("A", 1)], 1, []),
        ([Packed("A", 1)], MOST_GRAMS, []),
        ([Packed("A", 1)], 0, ["out-of-range"]),
        ([Packed("A", 1)], -5, ["out-of-range"]),
        ([Packed("A", 1)], MOST_GRAMS + 1, ["out-of-range"]),
        ([], 700, ["missing"]),
        ([Packed("A", 0)], 700, ["missing"]),
        ([Packed("A", 3)], 700, ["not-enough"]),
        ([Packed("A", 2), Packed("A", 1)], 700, ["not-enough"]),
        ([Packed("C", 1)], 700, ["not-enough"]),
        ([Packed("A", -1), Packed("B", 1)], 700, ["not-enough"]),
        ([Packed("A", 3), Packed("A", -1)], 700, ["not-enough"]),
        ([Packed("A", 9), Packed("C", 1)], 0, ["out-of-range", "not-enough", "not-enough"]),
    ],
)
def test_a_parcel_holds_only_what_is_open(lines, grams, codes):
    assert [refusal.code for refusal in check_parcel(lines, grams, {"A": 2, "B": 1})] == codes


skus = st.sampled_from(["A", "B", "C"])


parcels = st.lists(st.lists(st.builds(Packed, skus, st.integers(-1, 4)), max_size=4), max_size=4)


@given(st.dictionaries(skus, st.integers(1, 6)), parcels)
def test_parcels_that_are_accepted_never_hold_more_than_was_picked(picked, wanted):
    accepted = []
    for lines in wanted:
        if not check_parcel(lines, 500, open_units(picked, accepted)):
            accepted.append(lines)
    packed = Counter()
    for lines in accepted:
        assert all(line.quantity >= 0 for line in lines)
        for line in lines:
            packed[line.sku] += line.quantity
    left = open_units(picked, accepted)
    assert all(units > 0 for units in left.values()), "nothing is left below nothing"
    assert {sku: packed[sku] + left.get(sku, 0) for sku in picked} == picked
