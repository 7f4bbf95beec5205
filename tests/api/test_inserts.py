"""Tests inserts over HTTP."""

import pytest

from tests.caller import problem

PATH = "/api/v1/inserts"


def test_inserts_are_created_changed_and_deleted(api):
    made = api.post(PATH, json={"name": "Card", "weight_g": 8, "channels": ["none"]}).json()
    assert (made["name"], made["channels"], made["active"]) == ("Card", ["none"], True)
    one = f"{PATH}/{made['id']}"
    changed = api.put(one, json={"name": "Leaflet", "skus": ["PT-14"]}).json()
    assert (changed["name"], changed["weight_g"], changed["skus"]) == ("Leaflet", 0, ["PT-14"])
    assert [row["id"] for row in api.get(PATH).json()["items"]] == [made["id"]]
    assert api.delete(one).json() == {"deleted": made["id"]}
    problem(api.delete(one), 404)
    problem(api.put(one, json={"name": "Card"}), 404)


@pytest.mark.parametrize(
    "wrong", [{"name": ""}, {"countries": ["XX"]}, {"channels": ["moon"]}, {"weight_g": -1}]
)
def test_what_cannot_be_is_refused(api, wrong):
    problem(api.post(PATH, json={"name": "Card", **wrong}), 422)
    assert api.get(PATH).json()["items"] == []
