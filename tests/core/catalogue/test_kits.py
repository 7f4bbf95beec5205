"""Tests the rules of kits: circles, leaves, what can be made."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.kits import (
    PartStock,
    PartWorth,
    can_be_made,
    find_circle,
    kit_sums,
    leaves_of,
)
from relvan.core.stock.availability import StockBalance, StockPolicy, free_over, shown_quantity


@pytest.mark.parametrize(
    ("parts", "way"),
    [
        ({"A": ["B"], "B": ["C"]}, []),
        ({"A": ["A"]}, ["A", "A"]),
        ({"A": ["B", "C"], "B": ["D"], "C": ["D"], "D": []}, []),
        ({"A": ["B"], "B": ["C"], "C": ["A"]}, ["A", "B", "C", "A"]),
        ({"A": ["B"], "B": ["C"], "C": ["B"]}, []),
    ],
)
def test_a_circle_is_found_from_the_kit_it_goes_through(parts, way):
    assert find_circle("A", parts) == way


def test_leaves_are_added_up_through_kits_within_kits():
    parts = {"BOX": [("SET", 2), ("TIN", 1)], "SET": [("TIN", 3), ("POT", 1)]}
    assert leaves_of("BOX", parts) == {"TIN": 7, "POT": 2}
    assert leaves_of("TIN", parts) == {}


def stock(sku, quantity, **on_hand):
    places = {"mill": 1, "yard": 2}
    return PartStock(
        sku, quantity, {places[name]: StockBalance(name, units) for name, units in on_hand.items()}
    )


PLACES = {1: "Millrace", 2: "Yard"}


@pytest.mark.parametrize(
    ("parts", "apart", "free"),
    [
        ([stock("A", 1, mill=5), stock("B", 2, mill=5)], False, [2, 0]),
        ([stock("A", 1, mill=5), stock("B", 1, yard=5)], False, [0, 0]),
        ([stock("A", 1, mill=5), stock("B", 1, yard=4)], True, [4]),
        ([stock("A", 1, mill=3, yard=2), stock("B", 1, mill=1, yard=4)], False, [1, 2]),
        ([], False, [0, 0]),
    ],
)
def test_what_can_be_made_is_what_the_scarcest_part_allows(parts, apart, free):
    assert [held.free for held in can_be_made(parts, PLACES, apart=apart).values()] == free


units = st.dictionaries(st.sampled_from([1, 2]), st.integers(0, 30), max_size=2)


@given(st.lists(st.tuples(st.integers(1, 5), units), min_size=1, max_size=4))
def test_apart_never_makes_fewer_than_together(asked):
    parts = [
        PartStock(
            f"P{n}", quantity, {where: StockBalance("w", there) for where, there in held.items()}
        )
        for n, (quantity, held) in enumerate(asked)
    ]
    together = sum(held.free for held in can_be_made(parts, PLACES, apart=False).values())
    (apart,) = can_be_made(parts, PLACES, apart=True).values()
    assert apart.free >= together
    for part in parts:
        assert together * part.quantity <= sum(balance.free for balance in part.balances.values())


def test_a_kit_is_shown_by_the_same_policy_with_its_own_why():
    held = list(can_be_made([stock("A", 2, mill=9)], PLACES, apart=False).values())
    shown = shown_quantity(held, StockPolicy(hold_back=1))
    assert shown.quantity == 3
    assert shown.why.steps[0].detail == "scarcest part A: 9 free, 2 in each"
    assert free_over(held)[0] == 4


@pytest.mark.parametrize(
    ("parts", "sums"),
    [
        ([], (0, 0, None, None, None)),
        ([PartWorth(2, 500, 200, 90)], (1, 2, 1000, 400, 180)),
        ([PartWorth(1, 500, None, 90), PartWorth(3, 100, 20, None)], (2, 4, 800, None, None)),
    ],
)
def test_sums_over_parts_are_known_only_when_every_part_is(parts, sums):
    found = kit_sums(parts)
    assert (found.parts, found.units, found.price, found.cost, found.weight_g) == sums
