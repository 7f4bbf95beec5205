"""Tests the problems that `relvan solve` takes, as plain data."""

import pytest

from relvan.core.refusal import NotFound, Refused
from relvan.core.solving.kinds import solve_problem

ROUTING = {
    "lines": [{"sku": "A", "quantity": 2}, {"sku": "B", "quantity": 1}],
    "warehouses": [
        {"key": "M", "free": {"A": 2}},
        {"key": "Y", "free": {"A": 1, "B": 3}},
        {"key": "D", "free": {"A": 5, "B": 5}},
    ],
    "policy": "split",
    "most": 2,
    "prefer_near": False,
}
RESERVE = {
    "free": {"A": 5, "B": 4},
    "orders": [
        {"id": 1, "placed": "2026-11-01T08:00:00Z", "value": 900, "lines": {"A": 4, "B": 1}},
        {"id": 2, "placed": "2026-11-02", "value": 500, "lines": {"A": 3}},
        {"id": 3, "placed": "2026-11-03T08:00:00", "value": 500, "lines": {"A": 2}},
        {"id": 4, "placed": "2026-11-04T08:00:00Z", "value": 100, "lines": {"B": 2}},
        {"id": 5, "placed": "2026-11-05T08:00:00Z", "value": 100, "lines": {"B": 1}},
    ],
    "by": "most",
}


def test_routing_answers_the_example_of_the_rules():
    lines = [{"sku": "A", "quantity": 2}, {"sku": "B", "quantity": 1}]
    assert solve_problem("routing", ROUTING) == {
        "shipments": [{"warehouse": "D", "lines": lines}],
        "missing": {},
    }


def test_routing_names_what_is_missing():
    answer = solve_problem("routing", {**ROUTING, "warehouses": ROUTING["warehouses"][:1]})
    assert answer["missing"] == {"B": 1}
    assert answer["shipments"] == [{"warehouse": "M", "lines": [{"sku": "A", "quantity": 2}]}]


@pytest.mark.parametrize(
    ("by", "whole", "bound"),
    [("age", [1, 4, 5], 3), ("most", [2, 3, 4, 5], 4), ("money", [2, 3, 4, 5], 1200)],
)
def test_reserve_answers_the_example_of_the_rules(by, whole, bound):
    answer = solve_problem("reserve", {**RESERVE, "by": by})
    assert answer == {"whole": whole, "proof": "exact", "bound": bound}


def test_a_promised_day_goes_before_age():
    first = {**RESERVE["orders"][4], "promised": "2026-11-09"}
    answer = solve_problem(
        "reserve", {**RESERVE, "orders": [*RESERVE["orders"][:4], first], "by": "age"}
    )
    assert answer["whole"] == [5, 1, 4]


def test_a_list_of_problems_gets_a_list_of_answers_in_the_same_order():
    one = solve_problem("routing", ROUTING)
    assert solve_problem("routing", [ROUTING, ROUTING]) == [one, one]
    assert solve_problem("reserve", []) == []


@pytest.mark.parametrize(
    ("kind", "change", "named"),
    [
        ("routing", {"lines": []}, "lines"),
        ("routing", {"lines": [{"sku": "A", "quantity": 0}]}, "lines.0.quantity"),
        ("routing", {"lines": [{"sku": "A", "quantity": "2"}]}, "lines.0.quantity"),
        ("routing", {"policy": "any"}, "policy"),
        ("routing", {"most": 0}, "most"),
        ("routing", {"walls": 1}, "walls"),
        ("routing", {"warehouses": [{"key": "M", "free": {"A": -1}}]}, "warehouses.0.free.A"),
        ("routing", {"warehouses": [{"key": "M", "free": {}}] * 2}, "M"),
        ("reserve", {"by": "luck"}, "by"),
        ("reserve", {"orders": RESERVE["orders"][:1] * 2}, "1"),
        ("reserve", {"free": {"A": 1.5}}, "free.A"),
        ("reserve", {"orders": [{"id": 1, "placed": "soon", "lines": {"A": 1}}]}, "placed"),
    ],
)
def test_a_wrong_problem_is_refused_in_one_line_that_names_the_key_or_the_item(kind, change, named):
    problem = {**(ROUTING if kind == "routing" else RESERVE), **change}
    with pytest.raises(Refused) as refused:
        solve_problem(kind, problem)
    assert named in refused.value.first.message
    assert "\n" not in refused.value.first.message


def test_one_bad_problem_of_a_list_refuses_the_list_and_is_named():
    with pytest.raises(Refused) as refused:
        solve_problem("routing", [ROUTING, {**ROUTING, "most": 0}])
    assert refused.value.first.message.startswith("item 2: most")


@pytest.mark.parametrize("problem", [None, 3, "text", [[]]])
def test_what_is_no_problem_is_refused(problem):
    with pytest.raises(Refused):
        solve_problem("reserve", problem)


def test_an_unknown_kind_is_refused_with_those_that_are_known():
    with pytest.raises(NotFound) as refused:
        solve_problem("riddle", {})
    assert "routing, reserve" in refused.value.first.message


WALK = {"aisles": 10, "bays": 40, "stops": [{"aisle": 0, "bay": 5}, {"aisle": 9, "bay": 1}]}


def test_a_walk_is_answered_as_plain_data():
    answer = solve_problem("route", WALK)
    assert answer["length_m"] == 102
    assert answer["every_aisle_m"] == 41 + 45 + 41 + 45
    assert answer["proof"] == "exact"
    assert answer["order"] == [0, 1]
    assert answer["path"][0] == answer["path"][-1] == [0.0, 0.0]


@pytest.mark.parametrize(
    ("change", "named"),
    [
        ({"stops": [{"aisle": 10, "bay": 1}]}, "Stop 0"),
        ({"stops": [{"aisle": 0, "bay": 0}]}, "Stop 0"),
        ({"bays": 0}, "bays"),
        ({"start": {"aisle": 0, "end": "left"}}, "start.end"),
        ({"lanes": 3}, "lanes"),
    ],
)
def test_a_walk_that_cannot_be_is_refused_in_a_line_that_names_it(change, named):
    with pytest.raises(Refused) as refused:
        solve_problem("route", [WALK, {**WALK, **change}])
    assert named in refused.value.first.message
    assert refused.value.first.message.startswith("item 2: ")


CARTONS = {
    "items": [
        {"id": "pot", "l": 100, "w": 75, "h": 50, "weight_g": 300, "quantity": 8},
        {"id": 7, "l": 30.5, "w": 20, "h": 10, "fragile": True},
    ],
    "cartons": [
        {"id": "S", "l": 200, "w": 150, "h": 100, "max_weight_g": 5000, "cost": 400},
        {"id": "L", "l": 200, "w": 150, "h": 120, "max_weight_g": 5000, "cost": 500},
    ],
}


def test_cartons_are_answered_with_the_place_of_every_unit():
    answer = solve_problem("cartons", CARTONS)
    assert (answer["cost"], answer["bound"]) == (500, 401)
    (carton,) = answer["cartons"]
    assert carton["carton"] == "L"
    assert carton["weight_g"] == 2400
    assert [item["id"] for item in carton["items"]].count("pot") == 8
    (last,) = [item for item in carton["items"] if item["id"] == 7]
    assert sorted([last["dx"], last["dy"], last["dz"]]) == [10, 20, 30.5]
    assert carton["fill"] == round((8 * 375_000 + 6_100) / 3_600_000, 6)


@pytest.mark.parametrize(
    ("change", "named"),
    [
        ({"cartons": []}, "cartons"),
        ({"items": [{"id": "pole", "l": 900, "w": 1, "h": 1}]}, "“pole”"),
        ({"items": [{"id": "pot", "l": 0, "w": 1, "h": 1}]}, "items.0.l"),
        ({"items": [CARTONS["items"][0]] * 2}, "“pot” stands there twice"),
        ({"items": [{**CARTONS["items"][0], "quantity": 401}]}, "items.0.quantity"),
        ({"items": [{**CARTONS["items"][0], "upside_down": True}]}, "items.0.upside_down"),
    ],
)
def test_cartons_that_cannot_be_are_refused_in_a_line_that_names_it(change, named):
    with pytest.raises(Refused) as refused:
        solve_problem("cartons", {**CARTONS, **change})
    assert named in refused.value.first.message
