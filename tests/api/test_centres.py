"""Tests over HTTP that a marketplace's centre sends orders, and that they are recalled."""

import pytest

from relvan.services.shipping.centres import mind_centres
from tests.caller import problem, put_in
from tests.house import assert_sound, connect, receive
from tests.snapshots import built_once

V1 = "/api/v1"
TO = {
    "name": "Ada Fennimore",
    "street": "12 Row",
    "town": "Tarnhollow",
    "postcode": "T1",
    "country": "IE",
}
CENTRE = {"name": "Arden", "warehouse": "arden", "kind": "centre"}


@built_once
def shipment(api, workplace, owner, world):
    """Hands an order of two pots over to Arden; returns the id of its shipment."""
    connect(workplace, owner, world, "corvello")
    wish = {**CENTRE, "channel": "corvello", "centre": "arden", "takes": "whole"}
    made = api.post(f"{V1}/warehouses", json=wish)
    assert made.status_code == 201, made.text
    assert made.json()["takes"] == "whole"
    assert made.json()["hand_over"] == "by-hand"
    put_in(api, sku="PT-14", units=1)
    receive(workplace, owner, "PT-14", 4, "arden")
    stock = {"stock": {"PT-14": 4}}
    world.client.put("/world/corvello/centres/arden/stock", json=stock).raise_for_status()
    lines = [{"sku": "PT-14", "quantity": 2}]
    wish = {"lines": lines, "ship_to": TO, "paid": True}
    number = api.post(f"{V1}/orders", json=wish).json()["number"]
    body = {"numbers": [number, "O-404"], "warehouse": "arden"}
    known, unknown = api.post(f"{V1}/orders/send-to-centre", json=body).json()["items"]
    assert known["ok"]
    assert unknown["code"] == "not-found"
    return api.get(f"{V1}/orders/{number}").json()["shipments"][0]["id"]


def test_it_is_followed_until_it_has_left(api, shipment, workplace, world):
    mind_centres(workplace)
    assert api.get(f"{V1}/shipments/{shipment}").json()["state"] == "handed over"
    assert api.post(f"{V1}/shipments/{shipment}/hand-over").json()["state"] == "handed over"
    world.client.post("/world/clock", json={"advance_minutes": 120}).raise_for_status()
    mind_centres(workplace)
    found = api.get(f"{V1}/shipments/{shipment}").json()
    (parcel,) = found["parcels"]
    assert (found["state"], found["lines"][0]["packed"]) == ("dispatched", 2)
    assert parcel["lines"] == [{"sku": "PT-14", "quantity": 2}]
    assert (parcel["price"]["amount"], parcel["label"]) == (410, None)
    assert api.post(f"{V1}/shipments/{shipment}/hand-over").json() == found
    problem(api.post(f"{V1}/shipments/{shipment}/recall"), 409)
    assert_sound(workplace)


def test_it_is_recalled_and_says_so(api, shipment, workplace):
    mind_centres(workplace)
    found = api.post(f"{V1}/shipments/{shipment}/recall").json()
    assert (found["state"], found["recalled"]) == ("handed over", True)
    mind_centres(workplace)
    found = api.get(f"{V1}/shipments/{shipment}").json()
    assert (found["state"], found["recalled"], found["said"]) == (
        "cancelled",
        False,
        "It was recalled.",
    )


@pytest.mark.parametrize(
    ("wish", "status"),
    [
        ({"warehouse": "millrace", "numbers": ["O-1001"]}, 422),
        ({"warehouse": "nowhere", "numbers": ["O-1001"]}, 404),
        ({"warehouse": "arden", "numbers": []}, 422),
        ({"numbers": ["O-1001"]}, 422),
    ],
)
def test_what_is_no_centre_is_refused(api, shipment, wish, status):
    problem(api.post(f"{V1}/orders/send-to-centre", json=wish), status)


@pytest.mark.parametrize("change", [{"takes": "half"}, {"channel": "nowhere"}, {"centre": ""}])
def test_a_warehouse_that_is_no_centre_is_not_saved(api, shipment, change):
    before = api.get(f"{V1}/warehouses/arden").json()
    problem(api.patch(f"{V1}/warehouses/arden", json=change), 422)
    assert api.get(f"{V1}/warehouses/arden").json() == before
