"""Tests rules of carriage, the use of accounts, and services over HTTP."""

import pytest

from tests.caller import pick_all, problem, walk

V1 = "/api/v1"
RULE = {"name": "Fast", "take": "fastest", "countries": ["IE"], "most_g": 2_000}


def test_rules_are_created_changed_ordered_and_deleted(api, floor):
    first = api.post(f"{V1}/carriage-rules", json=RULE).json()
    second = api.post(f"{V1}/carriage-rules", json={"name": "Rest"}).json()
    assert (first["take"], first["most_g"], second["take"]) == ("fastest", 2_000, "promised")
    path = f"{V1}/carriage-rules/{first['id']}"
    changed = api.patch(path, json={"most_g": None, "signature": True}).json()
    assert (changed["most_g"], changed["signature"], changed["name"]) == (None, True, "Fast")
    ids = [second["id"], first["id"]]
    ordered = api.post(f"{V1}/carriage-rules/order", json={"ids": ids}).json()["items"]
    assert [one["id"] for one in ordered] == ids
    assert api.delete(path).json() == {"deleted": first["id"]}
    assert problem(api.delete(path), 404)["code"] == "not-found"
    assert problem(api.patch(path, json={}), 404)["code"] == "not-found"
    assert len(api.get(f"{V1}/carriage-rules").json()["items"]) == 1


@pytest.mark.parametrize(
    "wrong",
    [
        {"name": ""},
        {"take": "luck"},
        {"take": "named"},
        {"countries": ["XX"]},
        {"services": ["haulwell:pallet"]},
        {"least_g": 3, "most_g": 2},
        {"least_g": -1},
    ],
)
def test_a_rule_that_cannot_be_is_refused(api, floor, wrong):
    problem(api.post(f"{V1}/carriage-rules", json={**RULE, **wrong}), 422)
    assert api.get(f"{V1}/carriage-rules").json()["items"] == []


def test_services_name_the_one_that_the_rules_choose_and_rules_are_tried(api, floor):
    api.post(f"{V1}/carriage-rules", json={**RULE, "signature": True})
    pick_all(api, walk(api, *floor.values()))
    path = f"{V1}/shipments/{floor[1]}"
    api.post(f"{path}/parcels", json={"weight_g": 900})
    told = api.get(f"{path}/services").json()
    assert (told["rule"], told["signature"], told["insured"]) == ("Fast", True, False)
    assert told["chosen"] in {one["service"] for one in told["items"]}
    plain = api.get(f"{path}/services", params={"signature": False}).json()
    assert {one["service"] for one in plain["items"]} > {one["service"] for one in told["items"]}
    body = {"label_format": "png", "after_label": "dispatch"}
    assert api.patch(f"{V1}/carriers/ostrel", json={"use": body}).json()["use"] == {
        "label_format": "png",
        "label_size": "A6",
        "reference": "order and shipment",
        "after_label": "dispatch",
        "collects": [],
    }
    sent = api.post(f"{path}/labels", json={"service": ""}).json()
    assert sent["state"] == "dispatched"
    label = sent["parcels"][0]["label"]
    assert api.get(label).content.startswith(b"%PDF")
    assert api.get(label.replace(".pdf", ".png")).content.startswith(b"\x89PNG")
    problem(api.get(f"{path}/commercial-invoice.pdf"), 422)
    tried = api.post(f"{V1}/carriage-rules/try").json()
    assert [one["rule"] for one in tried["shipments"]] == ["Fast"]
    other = api.post(f"{V1}/carriage-rules/try", json={"name": "Cheap", "take": "cheapest"}).json()
    assert other["shipments"][0]["would_take"] == "ostrel:slim"
    problem(api.patch(f"{V1}/carriers/ostrel", json={"use": {"label_size": "A0"}}), 422)
