"""Tests what becomes of units that were not found in their bin."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.picking.short import ShortPick, look_elsewhere
from relvan.core.picking.walk import Place

NEAR, FAR = Place(1, "A-01", 1, 3), Place(2, "B-01", 5, 9)
RESERVE = Place(3, "A-00", 0, 50, reserve=True)


@pytest.mark.parametrize(
    ("missing", "spare", "places", "found"),
    [
        (2, 0, [FAR, NEAR], ShortPick(0, ((1, 2),))),
        (5, 9, [FAR, NEAR], ShortPick(0, ((1, 3), (2, 2)))),
        (5, 0, [RESERVE, NEAR], ShortPick(0, ((1, 3), (3, 2)))),
        (5, -2, [FAR], ShortPick(2, ((2, 3),))),
        (5, -7, [FAR], ShortPick(5)),
        (5, 0, [], ShortPick(5)),
        (5, 0, [NEAR], ShortPick(2, ((1, 3),))),
    ],
)
def test_other_bins_serve_what_the_warehouse_can_keep_promised(missing, spare, places, found):
    assert look_elsewhere(missing, spare, places) == found


@given(
    st.integers(1, 30),
    st.integers(-30, 30),
    st.lists(
        st.builds(
            Place,
            bin=st.integers(1, 99),
            code=st.just("A"),
            walk=st.integers(0, 9),
            there=st.integers(0, 9),
            reserve=st.booleans(),
        ),
        unique_by=lambda place: place.bin,
        max_size=5,
    ),
)
def test_every_missing_unit_is_given_up_or_taken_from_a_bin_that_has_it(missing, spare, places):
    found = look_elsewhere(missing, spare, places)
    there = {place.bin: place.there for place in places}
    assert found.given_up + sum(units for _, units in found.instead) == missing
    assert all(0 < units <= there[bin_id] for bin_id, units in found.instead)
    assert found.given_up >= min(missing, max(0, -spare))
