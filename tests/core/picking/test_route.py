"""Tests the shortest walk through a warehouse against known walks and against all orders of stops."""

from itertools import permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from relvan.core.picking.plan import AisleEnd, FloorPlan, Stop, length_of, read_plan
from relvan.core.picking.route import every_aisle_length, shortest_route
from relvan.core.refusal import Refused

TEN = read_plan({"aisles": 10, "bays": 40, "bay_m": 1, "aisle_pitch_m": 5, "cross_off_m": 1})
EXAMPLE = [Stop(*at) for at in ((0, 5), (0, 30), (2, 12), (3, 38), (3, 4), (6, 20), (9, 1))]


def point(plan, stop):
    return stop.aisle, plan.y_of(stop.bay)


def by_trying_all(plan, stops):
    """Returns the length of the best of all orders, by the shortest walks between points."""
    ends = [(end.aisle, plan.y_of_end(end)) for end in (plan.start, plan.drop)]
    best = float("inf")
    for order in permutations(stops):
        points = [ends[0], *(point(plan, stop) for stop in order), ends[1]]
        best = min(best, sum(map(plan.between, points, points[1:])))
    return best


def test_the_example_of_the_rules():
    found = shortest_route(TEN, EXAMPLE)
    assert (found.length_m, found.exact, found.bound_m) == (212, True, 212)
    assert found.every_aisle_m == 256
    assert sorted(found.order) == list(range(7))


plans = st.builds(
    FloorPlan,
    aisles=st.just(6),
    bays=st.just(12),
    bay_m=st.sampled_from([1.0, 1.3]),
    aisle_pitch_m=st.sampled_from([2.0, 5.0]),
    cross_off_m=st.sampled_from([0.0, 1.0, 2.5]),
    cross=st.sampled_from([(), (4.2,), (3.0, 7.5), (2.0, 5.0, 8.0)]),
    start=st.builds(AisleEnd, st.integers(0, 5), st.booleans()),
    drop=st.builds(AisleEnd, st.integers(0, 5), st.booleans()),
)
places = st.lists(st.builds(Stop, st.integers(0, 5), st.integers(1, 12)), max_size=6)


@settings(max_examples=150, deadline=None)
@given(plans, places)
def test_no_order_of_the_stops_is_shorter(plan, stops):
    found = shortest_route(plan, stops)
    assert found.length_m == pytest.approx(by_trying_all(plan, stops))
    assert found.exact
    assert sorted(found.order) == list(range(len(stops)))
    assert found.length_m <= found.every_aisle_m + 1e-6


@settings(max_examples=60, deadline=None)
@given(plans, places)
def test_the_path_is_a_walk_past_all_stops(plan, stops):
    found = shortest_route(plan, stops)
    assert length_of(found.path) == pytest.approx(found.length_m)
    for a, b in zip(found.path, found.path[1:], strict=False):
        along = a[0] == b[0]
        assert along or (a[1] == b[1] and a[1] in plan.levels)
    for stop in stops:
        place = (plan.x_of(stop.aisle), plan.y_of(stop.bay))
        assert any(
            length_of((a, place, b)) == pytest.approx(length_of((a, b)))
            for a, b in zip(found.path, (*found.path[1:], found.path[-1]), strict=True)
        )
    assert found.path[0] == (plan.x_of(plan.start.aisle), plan.y_of_end(plan.start))
    assert found.path[-1] == (plan.x_of(plan.drop.aisle), plan.y_of_end(plan.drop))


@settings(max_examples=25, deadline=None)
@given(st.lists(st.builds(Stop, st.integers(0, 7), st.integers(1, 40)), min_size=1, max_size=5))
def test_with_many_cross_aisles_a_bound_is_stated_that_holds(stops):
    plan = read_plan({"aisles": 8, "bays": 40, "cross_aisles": [6, 12, 18, 24, 30, 36]})
    found, best = shortest_route(plan, stops), by_trying_all(plan, stops)
    assert not found.exact
    assert found.bound_m <= best + 1e-6
    assert best - 1e-6 <= found.length_m <= 1.03 * best


@pytest.mark.parametrize(
    ("start", "drop", "stops", "length"),
    [
        ((0, False), (0, False), [(0, 5)], 10),
        ((0, False), (0, True), [(0, 5)], 41),
        ((0, False), (9, False), [(4, 1)], 47),
        ((2, True), (2, True), [(0, 40), (4, 40)], 44),
        ((0, False), (3, True), [], 56),
        ((0, False), (0, False), [], 0),
    ],
)
def test_walks_that_one_can_add_up_by_hand(start, drop, stops, length):
    plan = FloorPlan(10, 40, start=AisleEnd(*start), drop=AisleEnd(*drop))
    assert shortest_route(plan, [Stop(*one) for one in stops]).length_m == length


def test_every_aisle_is_walked_through_and_an_odd_last_one_is_left_as_it_was_entered():
    assert every_aisle_length(TEN, [Stop(0, 5), Stop(1, 40)]) == 41 + 5 + 41 + 5
    assert every_aisle_length(TEN, [Stop(1, 5)]) == 5 + 10 + 5


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"aisles": 0}, "aisles"),
        ({"aisles": 2001}, "aisles"),
        ({"bays": True}, "bays"),
        ({"bay_m": float("nan")}, "bay_m"),
        ({"aisle_pitch_m": 0}, "aisle_pitch_m"),
        ({"cross_aisles": [41.0]}, "cross_aisles"),
        ({"cross_aisles": [5, 5]}, "cross_aisles"),
        ({"cross_aisles": "5"}, "cross_aisles"),
        ({"start": {"aisle": 10}}, "start.aisle"),
        ({"drop": {"aisle": 1, "end": "left"}}, "drop.end"),
        ({"start": 3}, "start"),
    ],
)
def test_a_plan_that_cannot_be_is_refused_by_its_figure(change, field):
    with pytest.raises(Refused) as refused:
        read_plan({"aisles": 10, "bays": 40, **change})
    assert refused.value.first.field == field


def test_a_plan_is_the_same_after_it_was_kept():
    plan = FloorPlan(4, 20, 1.2, 3.0, 0.5, (6.0, 12.0), AisleEnd(1, True), AisleEnd(3))
    assert read_plan(plan.as_dict()) == plan
