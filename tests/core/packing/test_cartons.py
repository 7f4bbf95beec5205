"""Tests the choice of cartons: every layout is one that can be packed, and none costs less than its
bound."""

from itertools import combinations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from relvan.core.packing.cartons import (
    CartonChoice,
    CartonKind,
    PackItem,
    choose_cartons,
    least_cost,
    takes,
)
from relvan.core.refusal import Refused

SMALL = CartonKind("small", (200, 150, 100), 80, 5_000, 400)
LARGE = CartonKind("large", (400, 300, 250), 240, 20_000, 700)
BOTH = (SMALL, LARGE)


def spans(item):
    return [(a, a + d) for a, d in zip(item.at, item.size, strict=True)]


def shared(a, b):
    """Returns the lengths over which two placed items overlap, by axis."""
    pairs = zip(spans(a), spans(b), strict=True)
    return [min(one[1], two[1]) - max(one[0], two[0]) for one, two in pairs]


def assert_can_be_packed(choice: CartonChoice, items):
    known = {item.id: item for item in items}
    placed = [item for carton in choice.cartons for item in carton.items]
    assert sorted(item.id for item in placed) == sorted(item.id for item in items)
    for packed in choice.cartons:
        inside = packed.carton.size
        volume = weight = 0
        for item in packed.items:
            facts = known[item.id]
            assert sorted(item.size) == sorted(facts.size)
            assert item.size[2] == facts.size[2] or not facts.this_way_up
            assert all(a >= 0 and b <= c for (a, b), c in zip(spans(item), inside, strict=True))
            volume += item.size[0] * item.size[1] * item.size[2]
            weight += facts.weight_g
            assert_rests(item, packed.items, known)
        for a, b in combinations(packed.items, 2):
            assert min(shared(a, b)) <= 0
        assert packed.weight_g == packed.carton.weight_g + weight <= packed.carton.max_weight_g
        assert packed.fill == pytest.approx(volume / packed.carton.volume)
    assert choice.bound <= choice.cost == sum(one.carton.cost for one in choice.cartons)


def assert_rests(item, others, known):
    if item.at[2] == 0:
        return
    held = 0
    for other in others:
        wide, deep, _ = shared(item, other)
        if other.at[2] + other.size[2] == item.at[2] and wide > 0 and deep > 0:
            assert not known[other.id].fragile
            held += wide * deep
    assert 10 * held >= 8 * item.size[0] * item.size[1]


lengths = st.integers(20, 260)
some = st.lists(
    st.tuples(
        st.tuples(lengths, st.integers(20, 200), st.integers(10, 150)),
        st.integers(10, 3_000),
        st.booleans(),
        st.booleans(),
    ),
    min_size=1,
    max_size=14,
)


@settings(max_examples=80, deadline=None)
@given(some)
def test_every_layout_can_be_packed(facts):
    items = [PackItem(str(at), *one) for at, one in enumerate(facts)]
    fitting = [item for item in items if any(takes(kind, item) for kind in BOTH)]
    choice = choose_cartons(fitting, BOTH, seconds=0.01)
    assert_can_be_packed(choice, fitting)


def boxes(count, *size, **facts):
    return [PackItem(f"{size}{at}", size, **facts) for at in range(count)]


@pytest.mark.parametrize(
    ("items", "kinds"),
    [
        ([], []),
        (boxes(1, 190, 140, 90), ["small"]),
        (boxes(8, 100, 75, 50), ["small"]),
        (boxes(9, 100, 75, 50), ["large"]),
        (boxes(2, 400, 300, 125), ["large"]),
        (boxes(3, 400, 300, 125), ["large", "large"]),
        (boxes(2, 100, 150, 100, fragile=True), ["small"]),
        (boxes(2, 200, 150, 50, fragile=True), ["large"]),
        (boxes(1, 100, 100, 180), ["small"]),
        (boxes(1, 100, 100, 180, this_way_up=True), ["large"]),
        (boxes(2, 100, 150, 100, weight_g=2_470), ["large"]),
        (boxes(2, 100, 150, 100, weight_g=2_460), ["small"]),
    ],
)
def test_the_cheapest_cartons_are_chosen(items, kinds):
    choice = choose_cartons(items, BOTH)
    assert [one.carton.id for one in choice.cartons] == kinds
    assert_can_be_packed(choice, items)


def test_four_fifths_of_a_base_are_enough_to_rest_on():
    tall = CartonKind("tall", (100, 100, 200), 0, 9_000, 1)
    low = PackItem("low", (100, 80, 100), this_way_up=True)
    high = PackItem("high", (100, 100, 100), this_way_up=True)
    assert len(choose_cartons([low, high], [tall]).cartons) == 1
    short = PackItem("low", (100, 79, 100), this_way_up=True)
    kept = PackItem("high", (100, 100, 100), this_way_up=True, fragile=True)
    assert len(choose_cartons([short, kept], [tall]).cartons) == 2


def test_an_item_that_no_carton_takes_is_refused_by_name():
    with pytest.raises(Refused) as refused:
        choose_cartons([*boxes(1, 10, 10, 10), PackItem("pole", (900, 10, 10))], BOTH)
    assert refused.value.first.code == "no-carton"
    assert "“pole”" in refused.value.first.message
    heavy = PackItem("anvil", (100, 100, 50), weight_g=30_000)
    with pytest.raises(Refused):
        choose_cartons([heavy], BOTH)


def test_too_many_units_are_refused():
    with pytest.raises(Refused) as refused:
        choose_cartons(boxes(401, 1, 1, 1), BOTH)
    assert refused.value.first.code == "too-many"


def test_the_bound_counts_volume_weight_and_what_cannot_lie_together():
    assert least_cost(boxes(3, 400, 300, 250), BOTH) == 2_100
    assert least_cost(boxes(4, 210, 160, 130), BOTH) == 700
    heavy = boxes(10, 10, 10, 10, weight_g=4_000)
    assert least_cost(heavy, (LARGE,)) == 3 * 700
    big = CartonKind("cube", (100, 100, 100), 0, 1_000, 1)
    assert least_cost(boxes(5, 51, 51, 51), (big,)) == 5
