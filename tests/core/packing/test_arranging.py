"""Goods are arranged otherwise in a carton, and what comes of it can always be packed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.packing.arranging import (
    Push,
    check_arranged,
    push,
    put_down,
    read_arranged,
    told_arranged,
    turn,
)
from relvan.core.packing.cartons import (
    CartonChoice,
    CartonKind,
    PackedCarton,
    PackItem,
    PlacedItem,
    choose_cartons,
)
from relvan.core.refusal import Refused
from tests.core.packing.test_cartons import assert_can_be_packed

BOX = CartonKind("box", (400, 300, 200), 100, 20_000, 500)
GOODS = {
    "P": PackItem("P", (100, 100, 100), 400),
    "Q": PackItem("Q", (200, 100, 50), 300, this_way_up=True),
    "G": PackItem("G", (100, 100, 60), 200, fragile=True),
}


def carton(*items):
    """Returns a carton with units given as SKU, corner and, where they lie otherwise, lengths."""
    placed = [PlacedItem(sku, at, (size or [GOODS[sku].size])[0]) for sku, at, *size in items]
    weight = 100 + sum(GOODS[one.id].weight_g for one in placed)
    volume = sum(one.size[0] * one.size[1] * one.size[2] for one in placed)
    return PackedCarton(BOX, tuple(placed), weight, volume / BOX.volume)


TWO = carton(("P", (0, 0, 0)), ("P", (100, 0, 0)))
STACK = carton(("P", (0, 0, 0)), ("P", (0, 0, 100)), ("Q", (100, 0, 0)))


def moved(arranged):
    """Returns where the unit lies that was moved."""
    return arranged.packed.items[arranged.number - 1].at


@pytest.mark.parametrize(
    ("number", "x", "y", "at"),
    [
        (2, 250, 150, (250, 150, 0)),
        (2, 295, 195, (300, 200, 0)),  # near the walls it is pushed against them
        (2, 104, 0, (100, 0, 0)),  # and against another unit
        (2, 3, 2, (0, 0, 100)),  # over the other one it comes to rest on it
    ],
)
def test_a_unit_that_is_put_down_comes_to_rest(number, x, y, at):
    assert moved(put_down(TWO, GOODS, number, x, y)) == at


@pytest.mark.parametrize(
    ("packed", "number", "x", "y", "words"),
    [
        (TWO, 2, 350, 0, "sticks out"),
        (TWO, 2, -40, 0, "sticks out"),
        (TWO, 2, 50, 0, "too little of its base"),
        (STACK, 1, 300, 0, "2 rests on 1"),
        (carton(("G", (0, 0, 0)), ("P", (200, 0, 0))), 2, 0, 0, "which is fragile"),
        (carton(("P", (0, 0, 0)), ("P", (0, 0, 100)), ("P", (200, 0, 0))), 3, 0, 0, "sticks out"),
        (TWO, 3, 0, 0, "no unit 3"),
    ],
)
def test_what_cannot_be_is_refused_in_words(packed, number, x, y, words):
    with pytest.raises(Refused, match=words):
        put_down(packed, GOODS, number, x, y)


def test_keys_push_a_unit_to_the_next_place_where_it_meets_something():
    packed = carton(("P", (0, 0, 0)), ("P", (200, 0, 0)))
    assert moved(push(packed, GOODS, 2, Push.LEFT)) == (100, 0, 0)
    assert moved(push(packed, GOODS, 2, Push.RIGHT)) == (300, 0, 0)
    assert moved(push(packed, GOODS, 2, Push.FRONT)) == (200, 100, 0)
    assert push(packed, GOODS, 2, Push.BACK).packed == packed
    assert moved(push(TWO, GOODS, 2, Push.LEFT)) == (0, 0, 100), "on top of the other one"


def test_units_are_numbered_from_the_bottom_to_the_top():
    arranged = put_down(TWO, GOODS, 1, 100, 0)
    assert [one.at for one in arranged.packed.items] == [(100, 0, 0), (100, 0, 100)]
    assert arranged.number == 2


def test_a_unit_is_turned_and_stays_upright():
    packed = carton(("Q", (200, 0, 0)))
    turned = turn(packed, GOODS, 1).packed
    assert turned.items[0].size == (100, 200, 50)
    assert turn(turned, GOODS, 1).packed.items == packed.items
    fallen = carton(("Q", (0, 0, 0), (50, 200, 100)))
    with pytest.raises(Refused, match="does not lie as it may"):
        check_arranged(fallen, GOODS)


def test_an_arrangement_is_read_again_only_for_the_same_goods():
    arranged = put_down(TWO, GOODS, 2, 250, 150).packed
    told = told_arranged(arranged)
    assert read_arranged(told, TWO, GOODS) == arranged
    wrong = carton(("P", (0, 0, 0)), ("P", (50, 0, 0)))
    for other in (
        None,
        [],
        "box",
        ["box", [["P", "x"]]],
        ["other", told[1]],
        ["box", told[1][:1]],
        ["box", [["P", 0, 0, float("nan"), 100, 100, 100], told[1][1]]],
        told_arranged(wrong),
    ):
        assert read_arranged(other, TWO, GOODS) is None


DEEDS = st.lists(
    st.tuples(
        st.integers(1, 6),
        st.one_of(
            st.sampled_from(list(Push)),
            st.just("turn"),
            st.tuples(st.floats(-50, 450), st.floats(-50, 350)),
        ),
    ),
    max_size=12,
)


@given(st.lists(st.sampled_from("PQG"), min_size=2, max_size=6), DEEDS)
def test_whatever_is_done_the_carton_can_be_packed(skus, deeds):
    units = [GOODS[sku] for sku in skus]
    choice = choose_cartons(units, [BOX], seconds=0.0)
    packed = choice.cartons[0]
    inside = [GOODS[one.id] for one in packed.items]
    for number, deed in deeds:
        try:
            if isinstance(deed, Push):
                packed = push(packed, GOODS, number, deed).packed
            elif deed == "turn":
                packed = turn(packed, GOODS, number).packed
            else:
                packed = put_down(packed, GOODS, number, *deed).packed
        except Refused:
            continue
    assert_can_be_packed(CartonChoice(BOX.cost, BOX.cost, (packed,)), inside)
