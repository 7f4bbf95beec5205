"""Tests what goes into parcels besides the goods."""

import pytest

from relvan.core.packing.inserts import Insert, InsertFacts, check_insert

FACTS = InsertFacts("hagglet", "IE", frozenset({"PT-14", "SO-20"}), 4_000)


@pytest.mark.parametrize(
    ("only", "fits"),
    [
        ({}, True),
        ({"active": False}, False),
        ({"channels": ("hagglet", "none")}, True),
        ({"channels": ("none",)}, False),
        ({"countries": ("NL",)}, False),
        ({"skus": ("pt-14", "XX")}, True),
        ({"skus": ("XX",)}, False),
        ({"least_value": 4_000}, True),
        ({"least_value": 4_001}, False),
        ({"least_value": 0, "countries": ("NL",)}, False),
    ],
)
def test_an_insert_goes_where_all_of_it_is_so(only, fits):
    assert Insert("Card", **only).fits(FACTS) is fits


def test_orders_by_hand_have_no_channel():
    by_hand = InsertFacts("", "IE", frozenset(), 0)
    assert Insert("Card", channels=("none",)).fits(by_hand)
    assert not Insert("Card", channels=("hagglet",)).fits(by_hand)


@pytest.mark.parametrize(
    ("wrong", "fields"),
    [
        ({}, []),
        ({"name": " "}, ["name"]),
        ({"weight_g": -1}, ["weight_g"]),
        ({"weight_g": 5_001}, ["weight_g"]),
        ({"channels": ("moon",)}, ["channels"]),
        ({"channels": ("none",)}, []),
        ({"countries": ("XX",)}, ["countries"]),
        ({"skus": ("A",) * 61}, ["skus"]),
        ({"least_value": -1}, ["least_value"]),
    ],
)
def test_what_cannot_be_is_refused_by_its_field(wrong, fields):
    insert = Insert(**{"name": "Card", **wrong})
    assert [one.field for one in check_insert(insert, ["hagglet"], ["IE"])] == fields
