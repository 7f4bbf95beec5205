"""Tests how the picks of a list are put in order, where bins lie, and what had better change places."""

import pytest

from relvan.core.picking.heat import BinHeat, propose_swaps, walk_to
from relvan.core.picking.lists import (
    ListSort,
    OpenPick,
    numbered_stops,
    ordered_picks,
    round_trip,
    totes_of,
)
from relvan.core.picking.places import parts_of, plan_for_bins, read_named_plan, usual_names
from relvan.core.picking.plan import Stop
from relvan.core.picking.walk import BinRule, PickAsk, Place, plan_walk
from relvan.core.refusal import Refused

PLAN = read_named_plan({"aisles": 3, "bays": 10})


@pytest.mark.parametrize(
    ("code", "place"),
    [
        ("A-01", Stop(0, 1)),
        ("c-10", Stop(2, 10)),
        ("B03", Stop(1, 3)),
        ("B-03-2", Stop(1, 3)),
        ("B.3/top", Stop(1, 3)),
        ("A-11", None),
        ("D-01", None),
        ("A-00", None),
        ("FLOOR", None),
        ("A-x", None),
    ],
)
def test_a_bin_takes_its_place_from_its_code(code, place):
    assert PLAN.place(code) == place


def test_aisles_with_numbers_are_found_with_and_without_zeros():
    plan = read_named_plan({"aisles": 2, "bays": 5, "names": ["01", "02"]})
    assert plan.place("2-05") == plan.place("02-5") == Stop(1, 5)
    assert parts_of("Y1-06") == ("Y1", 6)


def test_a_plan_is_proposed_from_the_codes_of_bins():
    plan = plan_for_bins(["Y2-03", "Y1-01", "FLOOR", "Y1-06"])
    assert (plan.names, plan.floor.bays) == (("Y1", "Y2"), 6)
    assert plan_for_bins(["FLOOR", "SHELF"]) is None
    assert usual_names(27)[26] == "27"
    assert read_named_plan(plan.as_dict()) == plan


@pytest.mark.parametrize("names", [["A", "B"], ["A", "A", "B"], ["A", "B", "C-1"], ["A", "B", ""]])
def test_names_that_do_not_fit_the_aisles_are_refused(names):
    with pytest.raises(Refused) as refused:
        read_named_plan({"aisles": 3, "bays": 10, "names": names})
    assert refused.value.first.field == "names"


PICKS = [
    OpenPick("C-02", 3, "PT-20", 7),
    OpenPick("A-09", 1, "PT-14", 8),
    OpenPick(None, 10**9, "PT-99", 7),
    OpenPick("FLOOR", 9, "PT-01", 8),
    OpenPick("A-02", 0, "PT-18", 9),
]


@pytest.mark.parametrize(
    ("sort", "plan", "order"),
    [
        (ListSort.PLACE, None, [4, 1, 0, 3, 2]),
        (ListSort.SKU, PLAN, [3, 1, 4, 0, 2]),
        (ListSort.ORDER, PLAN, [0, 2, 1, 3, 4]),
    ],
)
def test_picks_stand_by_place_sku_or_order(sort, plan, order):
    assert ordered_picks(PICKS, sort, plan) == order


def test_the_walk_visits_each_bay_once_and_what_is_off_the_plan_comes_last():
    order = ordered_picks(PICKS, ListSort.PLACE, PLAN)
    assert sorted(order[:3]) == [0, 1, 4]
    assert order[3:] == [3, 2]
    trip = round_trip(PLAN, [pick.bin for pick in PICKS] + ["A-02-3"])
    assert sum(len(picks) for picks in trip.picks) + len(trip.off_plan) == 6
    assert (4, 5) in trip.picks
    assert trip.saves_m == trip.route.every_aisle_m - trip.route.length_m >= 0


def test_totes_are_numbered_as_the_walk_comes_to_their_orders():
    assert totes_of([7, 9, 7, 8]) == {7: 1, 9: 2, 8: 3}


def shelves(*facts):
    return {1: [Place(at, f"A-{at:02d}", at, *fact) for at, fact in enumerate(facts, 1)]}


@pytest.mark.parametrize(
    ("rule", "taken"),
    [(BinRule.EMPTIES, 2), (BinRule.OLDEST, 3), (BinRule.NEAR, 1)],
)
def test_the_rule_says_which_of_several_bins_is_taken_from(rule, taken):
    there = shelves((9, False, 50.0), (4, False, 60.0), (7, False, 10.0))
    far = {1: 0.5, 2: 20.0, 3: 30.0}
    (pick,) = plan_walk([PickAsk(10, 1, 3)], there, rule, far)
    assert pick.bin == taken


def test_a_reserve_bin_is_taken_from_only_when_the_others_have_too_few():
    there = shelves((2, True), (5, False))
    assert [pick.bin for pick in plan_walk([PickAsk(10, 1, 2)], there)] == [2]
    taken = [(pick.bin, pick.quantity) for pick in plan_walk([PickAsk(10, 1, 6)], there)]
    assert sorted(taken) == [(1, 1), (2, 5)]


def test_what_is_picked_often_and_lies_far_changes_places_with_what_lies_near():
    bins = [
        BinHeat("A-01", 0, "SLOW"),
        BinHeat("A-02", 5, "SOME"),
        BinHeat("C-10", 20, "FAST"),
        BinHeat("C-09", 30, ""),
        BinHeat("FLOOR", 99, "GONE"),
    ]
    first, *more = propose_swaps(PLAN, bins)
    assert (first.often.sku, first.seldom.sku) == ("FAST", "SLOW")
    assert first.saves_m == 20 * (walk_to(PLAN, "C-10") - walk_to(PLAN, "A-01"))
    assert more == []
    assert walk_to(PLAN, "FLOOR") is None


@pytest.mark.parametrize(
    ("picks", "stops"),
    [
        ([], []),
        ([("A-01", "P", None), ("A-01", "P", None), ("A-01", "Q", None)], [1, 1, 2]),
        ([("A-01", "P", 1), ("A-01", "P", 2), ("A-01", "P", 2)], [1, 2, 2]),
        ([("A-01", "P", None), ("B-01", "P", None), ("A-01", "P", None)], [1, 2, 3]),
        ([(None, "P", None), (None, "P", None)], [1, 1]),
    ],
)
def test_equal_picks_that_follow_one_another_are_one_stop(picks, stops):
    assert numbered_stops(picks) == stops


def test_goods_of_one_stop_on_the_plan_stand_together():
    picks = [OpenPick("A-01", 1, sku, shipment) for sku, shipment in (("Q", 1), ("P", 2), ("Q", 3))]
    order = ordered_picks(picks, ListSort.PLACE, PLAN)
    assert [picks[at].sku for at in order] == ["P", "Q", "Q"]
