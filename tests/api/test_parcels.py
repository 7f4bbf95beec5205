"""Tests parcels under way and claims over HTTP."""

import pytest

from tests.caller import pick_all, problem, walk
from tests.snapshots import built_once

V1 = "/api/v1"


@built_once
def left(api, floor):
    """Sends both shipments; returns their parcels."""
    pick_all(api, walk(api, *floor.values()))
    for shipment in floor.values():
        path = f"{V1}/shipments/{shipment}"
        assert api.post(f"{path}/parcels", json={"weight_g": 900}).status_code == 201
        body = {"service": "ostrel:tracked"}
        assert api.post(f"{path}/labels", json=body).status_code == 201
        assert api.post(f"{path}/dispatch").status_code == 200
    return api.get(f"{V1}/parcels").json()["items"]


def test_parcels_are_listed_followed_and_claimed(api, left):
    assert [one["standing"] for one in left] == ["under way"] * 2
    page = api.get(f"{V1}/parcels", params={"limit": 1}).json()
    again = api.get(f"{V1}/parcels", params={"limit": 1, "after": page["next"]}).json()
    assert [page["items"][0]["id"], again["items"][0]["id"]] == [one["id"] for one in left]
    assert again["next"] is None
    followed = api.post(f"{V1}/parcels/follow").json()
    assert followed == {"asked": 2, "moved": 0, "manifests_billed": 0, "trouble": []}
    path = f"{V1}/parcels/{left[0]['id']}"
    told = api.get(path).json()
    assert [event["stage"] for event in told["events"]] == ["announced"]
    assert told["claim"] == {"state": None, "paid": None, "note": "", "since": None}
    found = problem(api.put(f"{path}/claim", json={"state": "paid", "amount": 400}), 409)
    assert found["code"] == "wrong-state"
    for _ in range(2):
        made = api.put(f"{path}/claim", json={"state": "made", "note": "by letter"}).json()
    assert (made["claim"]["state"], made["claim"]["note"]) == ("made", "by letter")
    paid = api.put(f"{path}/claim", json={"state": "paid", "amount": 400}).json()
    assert paid["claim"]["paid"] == {"amount": 400, "currency": "EUR"}
    (claimed,) = api.get(f"{V1}/parcels", params={"list": "claims"}).json()["items"]
    assert claimed["id"] == left[0]["id"]
    file = api.get(f"{V1}/parcels.csv", params={"list": "claims"}).text
    assert file.splitlines()[1].split(",")[0] == claimed["tracking_number"]


@pytest.mark.parametrize(
    ("method", "path", "body", "status"),
    [
        ("GET", "/parcels/999", None, 404),
        ("GET", "/parcels?list=eaten", None, 422),
        ("PUT", "/parcels/999/claim", {"state": "made"}, 404),
        ("PUT", "/parcels/1/claim", {"state": "eaten"}, 422),
        ("PUT", "/parcels/1/claim", {"state": "made", "amount": -1}, 422),
    ],
)
def test_what_makes_no_sense_is_refused(api, left, method, path, body, status):
    problem(api.request(method, f"{V1}{path}", json=body), status)
