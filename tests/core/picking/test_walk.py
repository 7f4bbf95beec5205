"""Tests which bins a pick list is served from, the order of the picks, and what a scan may be."""

from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.picking.walk import (
    BinRule,
    PickAsk,
    Place,
    PlannedPick,
    check_picked,
    check_scan,
    plan_walk,
)
from relvan.core.refusal import Refused

POT, BOWL = 1, 2


def place(bin_id, there, walk=None):
    return Place(bin_id, f"A-{bin_id:02d}", bin_id if walk is None else walk, there)


@pytest.mark.parametrize(
    ("asked", "shelves", "stops"),
    [
        (3, [place(1, 5)], [(1, 3)]),
        (3, [place(1, 9), place(2, 3), place(3, 4)], [(2, 3)]),  # the remnant that suffices
        (3, [place(1, 2), place(2, 2)], [(1, 2), (2, 1)]),  # no bin has enough: along the walk
        (3, [place(1, 2, walk=9), place(2, 2, walk=4)], [(2, 2), (1, 1)]),
        (3, [place(1, 2)], [(1, 2), (None, 1)]),  # what nobody knows of is asked for at the end
        (3, [], [(None, 3)]),
        (3, [place(1, 0)], [(None, 3)]),
        (3, [place(1, 3), place(2, 3)], [(1, 3)]),  # of two alike the first on the way
    ],
)
def test_one_ask_is_served_from_these_bins(asked, shelves, stops):
    walk = plan_walk([PickAsk(10, POT, asked)], {POT: shelves})
    assert [(pick.bin, pick.quantity) for pick in walk] == stops


def test_two_asks_do_not_take_the_same_units():
    walk = plan_walk([PickAsk(10, POT, 2), PickAsk(11, POT, 2)], {POT: [place(1, 3), place(2, 9)]})
    assert walk == [PlannedPick(10, POT, 1, 2, 1), PlannedPick(11, POT, 2, 2, 2)]


def test_the_way_leads_past_each_bin_once_whatever_the_order_of_the_shipments():
    shelves = {POT: [place(1, 9), place(3, 1)], BOWL: [place(2, 9)]}
    walk = plan_walk([PickAsk(12, BOWL, 1), PickAsk(10, POT, 1), PickAsk(11, POT, 4)], shelves)
    assert [pick.bin for pick in walk] == [1, 2, 3]


counts = st.integers(1, 12)


walks = st.tuples(
    st.lists(
        st.builds(PickAsk, st.integers(1, 50), st.sampled_from([POT, BOWL]), counts),
        max_size=8,
        unique_by=lambda ask: ask.shipment_line,
    ),
    st.dictionaries(
        st.sampled_from([POT, BOWL]),
        st.lists(
            st.builds(place, st.integers(1, 6), st.integers(0, 9), st.integers(0, 99)),
            max_size=5,
            unique_by=lambda held: held.bin,
        ),
        max_size=2,
    ),
)


@given(walks)
def test_every_walk_asks_for_all_and_for_no_more_than_a_bin_has(given_):
    asks, shelves = given_
    walk = plan_walk(asks, shelves)
    assert all(pick.quantity > 0 for pick in walk)
    asked = Counter({ask.shipment_line: ask.quantity for ask in asks})
    told = Counter()
    taken = Counter()
    for pick in walk:
        told[pick.shipment_line] += pick.quantity
        if pick.bin is not None:
            taken[pick.product, pick.bin] += pick.quantity
    assert told == asked
    there = {
        (product, held.bin): held.there
        for product, held_all in shelves.items()
        for held in held_all
    }
    assert all(units <= there[where] for where, units in taken.items())


@given(walks)
def test_nothing_is_asked_for_without_a_bin_while_a_bin_still_has_it(given_):
    asks, shelves = given_
    walk = plan_walk(asks, shelves)
    for product in (POT, BOWL):
        taken = sum(
            pick.quantity for pick in walk if pick.product == product and pick.bin is not None
        )
        missing = sum(
            pick.quantity for pick in walk if pick.product == product and pick.bin is None
        )
        there = sum(held.there for held in shelves.get(product, ()))
        wanted = sum(ask.quantity for ask in asks if ask.product == product)
        assert (taken, missing) == (min(wanted, there), max(0, wanted - there))


@given(walks)
def test_the_walk_goes_forward_only_and_what_has_no_bin_comes_last(given_):
    asks, shelves = given_
    walk = plan_walk(asks, shelves)
    known = [pick for pick in walk if pick.bin is not None]
    assert walk[: len(known)] == known
    assert [pick.walk for pick in known] == sorted(pick.walk for pick in known)


@pytest.mark.parametrize(
    "code", ["PT-14", "pt-14", " PT-14 ", "4006381333931", "04006381333931", "OLD-1", "old-1"]
)
def test_a_scan_of_any_of_its_codes_is_right(code):
    check_scan(code, "PT-14", "4006381333931", ("OLD-1",))


@pytest.mark.parametrize(
    "code", ["", "PT-1", "PT-145", "4006381333932", "OLD", "PT 14", "400638133393"]
)
def test_any_other_scan_is_refused_and_names_what_to_take(code):
    with pytest.raises(Refused) as refused:
        check_scan(code, "PT-14", "4006381333931", ("OLD-1",))
    assert refused.value.first.code == "wrong-scan"
    assert "PT-14" in refused.value.first.fix


@pytest.mark.parametrize(
    ("picked", "fine"), [(0, True), (1, True), (3, True), (4, False), (-1, False)]
)
def test_between_nothing_and_what_was_asked_is_picked(picked, fine):
    if fine:
        check_picked(picked, 3)
    else:
        with pytest.raises(Refused, match="0 to 3"):
            check_picked(picked, 3)


def dated(bin_id, there, use_by, **more):
    return Place(bin_id, f"B{bin_id}", bin_id, there, use_by=use_by, **more)


@pytest.mark.parametrize("rule", list(BinRule))
@pytest.mark.parametrize(
    ("places", "taken"),
    [
        ([dated(1, 9, "2027-05-01"), dated(2, 2, "2027-01-01")], [(2, 2), (1, 1)]),
        ([dated(1, 9, ""), dated(2, 9, "2027-01-01")], [(2, 3)]),
        ([dated(1, 9, "2027-05-01"), dated(2, 9, "2027-01-01", reserve=True)], [(2, 3)]),
        ([dated(1, 1, "2027-01-01"), dated(2, 3, "2027-01-01")], [(2, 3)]),  # one bin has enough
    ],
)
def test_what_expires_first_leaves_first_whatever_the_rule_says(rule, places, taken):
    picks = plan_walk([PickAsk(10, POT, 3)], {POT: places}, rule)
    assert sorted((one.bin, one.quantity) for one in picks) == sorted(taken)
