"""Tests how zones of a warehouse are written, and which bins lie in them."""

import pytest

from relvan.core.picking.zones import is_in_zone, read_zone
from relvan.core.refusal import Refused


@pytest.mark.parametrize(
    ("text", "aisles"),
    [
        ("", ""),
        ("a", "A"),
        ("A-D", "A B C D"),
        ("A, c  Y1", "A C Y1"),
        ("07-10", "07 08 09 10"),
        ("B-B", "B"),
    ],
)
def test_a_zone_names_its_aisles(text, aisles):
    assert read_zone(text) == frozenset(aisles.split())


@pytest.mark.parametrize("text", ["D-A", "A-", "-A", "AB-AC", "10-2", "1-999", "A-9"])
def test_what_is_no_range_is_refused(text):
    with pytest.raises(Refused) as refused:
        read_zone(text)
    assert refused.value.first.field == "zone"


@pytest.mark.parametrize(
    ("code", "inside"), [("B-07", True), ("b-07-2", True), ("E-01", False), ("FLOOR", False)]
)
def test_a_bin_is_in_zone_the_zone_of_its_aisle(code, inside):
    assert is_in_zone(code, read_zone("A-D")) is inside
