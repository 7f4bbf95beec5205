"""Tests trays, rules and what is noted of orders over the API."""

import pytest

from tests.caller import problem
from tests.steps.orders import take

MOVE = [{"deed": "move", "value": "ask"}]


@pytest.fixture
def tray(desk, api):
    made = api.post("/api/v1/trays", json={"name": "Ask", "hue": "rose", "remind_days": 3})
    assert made.status_code == 201
    return made.json()["tray"]


def test_a_tray_is_created_changed_listed_and_deleted(desk, api, owner, tray):
    assert tray == "ask"
    changed = api.patch("/api/v1/trays/ask", json={"name": "Ask them", "remind_days": 0}).json()
    assert (changed["name"], changed["hue"], changed["remind_days"]) == ("Ask them", "rose", 0)
    number = take(desk, owner, ("PT-14", 1))
    assert api.patch(f"/api/v1/orders/{number}", json={"tray": "ask"}).json()["tray"] == "ask"
    listed = {row["tray"]: row["orders"] for row in api.get("/api/v1/trays").json()["items"]}
    assert listed == {"inbox": 0, "floor": 0, "short": 0, "ask": 1, "closed": 0, "cancelled": 0}
    in_use = api.delete("/api/v1/trays/ask")
    assert (in_use.status_code, in_use.json()["code"]) == (409, "in-use")
    assert api.delete("/api/v1/trays/ask", params={"to": "inbox"}).json() == {"moved": 1}
    assert api.patch("/api/v1/trays/ask", json={"name": "x"}).status_code == 404


@pytest.mark.parametrize(
    ("wish", "code"),
    [
        ({"name": "Inbox"}, "taken"),
        ({"name": "Shipped"}, "repeats-progress"),
        ({"name": "Ask", "hue": "red"}, "not-allowed"),
        ({"name": "Ask", "remind_days": 999}, "out-of-range"),
    ],
)
def test_a_tray_that_cannot_be_is_refused(desk, api, wish, code):
    answer = api.post("/api/v1/trays", json=wish)
    assert (answer.status_code, answer.json()["code"]) == (422, code)


def test_a_rule_is_created_told_in_words_changed_tried_and_deleted(desk, api, owner, tray):
    wish = {"name": "Big", "when": "taken", "only": {"least_lines": 2}, "then": MOVE}
    made = api.post("/api/v1/rules", json=wish).json()
    words = "When an order is taken in, if it has 2 lines or more: move it to Ask."
    assert made["words"] == words
    one = take(desk, owner, ("PT-14", 1))
    two = take(desk, owner, ("PT-14", 1), ("PT-18", 1))
    trays = [api.get(f"/api/v1/orders/{number}").json()["tray"] for number in (one, two)]
    assert trays == ["inbox", "ask"]
    tried = api.post("/api/v1/rules/try", json={}).json()
    assert (tried["orders"], tried["rules"][0]["numbers"]) == (2, [two])
    trial = api.post("/api/v1/rules/try", json={"rule": {**wish, "only": {"trays": ["inbox"]}}})
    assert trial.json()["rules"][0]["numbers"] == [one]
    path = f"/api/v1/rules/{made['id']}"
    assert api.patch(path, json={"active": False}).json()["active"] is False
    assert api.get("/api/v1/rules").json()["items"][0]["name"] == "Big"
    assert api.delete(path).status_code == 204
    assert api.delete(path).status_code == 404


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"when": "dreamt"}, "not-allowed"),
        ({"then": [{"deed": "juggle"}]}, "not-allowed"),
        ({"then": []}, "missing"),
        ({"then": [{"deed": "move", "value": "nowhere"}]}, "not-found"),
        ({"only": {"countries": ["Holland"]}}, "form"),
        ({"when": "reserved", "then": [{"deed": "reserve"}]}, "circle"),
    ],
)
def test_a_rule_that_cannot_be_is_refused(desk, api, tray, change, code):
    wish = {"name": "Big", "when": "taken", "then": MOVE, **change}
    answer = api.post("/api/v1/rules", json=wish)
    assert (answer.status_code, answer.json()["code"]) == (422, code)
    assert api.get("/api/v1/rules").json()["items"] == []


def test_orders_are_set_aside_tagged_assigned_and_found_by_it(desk, api, owner):
    numbers = [take(desk, owner, ("PT-14", 1)) for _ in range(3)]
    until = "2026-11-20"
    aside = {"numbers": [numbers[0], "O-9"], "reason": "waits", "until": until}
    items = api.post("/api/v1/orders/set-aside", json=aside).json()["items"]
    assert [(item["ok"], item["code"]) for item in items] == [(True, ""), (False, "not-found")]
    assert api.get(f"/api/v1/orders/{numbers[0]}").json()["set_aside"] == {
        "until": until,
        "reason": "waits",
    }
    api.post("/api/v1/orders/tag", json={"numbers": numbers[1:], "tag": "gift"})
    api.post("/api/v1/orders/assign", json={"numbers": numbers[:1], "login": "owner"})
    shown = api.get(f"/api/v1/orders/{numbers[0]}").json()
    assert (shown["assigned"], shown["tags"]) == ("owner", [])

    def found(**query):
        return {row["number"] for row in api.get("/api/v1/orders", params=query).json()["items"]}

    assert found(tag="gift") == set(numbers[1:])
    assert found(set_aside="true") == {numbers[0]}
    assert found(tray="inbox,short", reserved="part,all", country="nl") == set(numbers)
    assert found(country="CH") == set()
    assert found(waiting_since="2026-01-01T00:00:00Z") == set()
    assert found(waiting_since="2027-01-01T00:00:00Z") == set(numbers)
    off = {"numbers": numbers, "tag": "gift", "off": True}
    assert all(item["ok"] for item in api.post("/api/v1/orders/tag", json=off).json()["items"])
    assert found(tag="gift") == set()
    api.post("/api/v1/orders/bring-back", json={"numbers": numbers[:1]})
    assert found(set_aside="true") == set()


@pytest.mark.parametrize(
    "query", [{"tray": "inbox,nowhere"}, {"paid": "half"}, {"waiting_since": "soon"}]
)
def test_a_filter_that_means_nothing_is_refused(desk, api, query):
    assert api.get("/api/v1/orders", params=query).status_code == 422


def test_what_setting_aside_would_do_is_told_beforehand(desk, api, owner):
    number = take(desk, owner, ("PT-14", 1))
    told = api.post("/api/v1/orders/foresee/set-aside", json={"numbers": [number]}).json()
    assert told["items"][0]["outcome"] == "does"
    told = api.post("/api/v1/orders/foresee/bring-back", json={"numbers": [number]}).json()
    assert told["items"][0]["outcome"] == "already"


def test_trays_and_rules_are_put_in_another_order(api):
    trays = [one["tray"] for one in api.get("/api/v1/trays").json()["items"]]
    turned = api.put("/api/v1/trays/order", json={"trays": trays[::-1]}).json()["items"]
    assert [one["tray"] for one in turned] == trays[::-1]
    problem(api.put("/api/v1/trays/order", json={"trays": trays[1:]}), 422)
    rule = {"name": "A", "when": "taken", "then": [{"deed": "tag", "value": "a"}]}
    made = [api.post("/api/v1/rules", json={**rule, "name": name}).json()["id"] for name in "AB"]
    turned = api.put("/api/v1/rules/order", json={"rules": made[::-1]}).json()["items"]
    assert [one["name"] for one in turned] == ["B", "A"]
    problem(api.put("/api/v1/rules/order", json={"rules": [made[0], made[0]]}), 422)
