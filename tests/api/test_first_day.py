"""Walks through the first day by API alone: from an empty database to the first parcel."""

import pytest

from relvan.services.people.sign_in import add_person
from relvan.services.people.tokens import make_token
from relvan.services.workplace import SYSTEM
from tests.applications import client_of
from tests.house import assert_sound, deliver, read, work
from tests.steps.move_in import links_made, load_made

V1 = "/api/v1"
HOME = {"street": "1 Row", "town": "Port Ellery", "postcode": "D04", "country": "IE"}


class Firm:
    """A firm on its first day; every call must succeed."""

    def __init__(self, bare):
        add_person(bare, SYSTEM, "ada", "Ada Quill", "owner", "a good password")
        token = make_token(bare, "first day", "ada")
        self.client = client_of(bare)
        self.client.headers["Authorization"] = f"Bearer {token}"

    def __call__(self, method, path, body=None):
        answer = self.client.request(method, V1 + path, json=body)
        assert answer.status_code < 300, (method, path, answer.text)
        return answer.json()


@pytest.fixture
def firm(bare):
    return Firm(bare)


def set_up(firm, world):
    """Sets the firm up, as far as moving in needs it."""
    firm("PATCH", "/firm", {"name": "Quillmoss", "address": HOME, "currency": "EUR"})
    firm("POST", "/warehouses", {"name": "North Hall", "address": HOME, "safety": 0})
    bins = {"pattern": "{aisle:A-L}-{bay:01-40}"}
    assert len(firm("POST", "/warehouses/north-hall/bins", bins)["new"]) == 480
    invited = firm("POST", "/people", {"login": "ben", "name": "Ben Oram", "role": "warehouse"})
    assert "/invitations/" in invited["invitation"]
    rates = firm("PUT", "/tax-rates", {"items": [], "union": True})
    assert any((row["country"], row["code"]) == ("IE", "standard") for row in rates["items"])
    for key, currency in (("retail", "EUR"), ("francs", "CHF")):
        new = {"key": key, "name": key.capitalize(), "currency": currency}
        firm("POST", "/price-lists", new)
    for key in ("hagglet", "loomstead"):
        there = {"address": world.seller_api(key), "token": world.token(key)}
        firm("POST", "/channels", {"rulebook": key, **there})
    there = {"address": world.seller_api("ostrel"), "token": world.token("ostrel")}
    assert firm("POST", "/carriers", {"carrier": "ostrel", **there})["account"] == "Quillmoss"


def move_in(firm, bare):
    """Moves in what the channels list, and keeps it in step."""
    move = firm("POST", "/move-in", {"stock_from": "hagglet", "warehouse": "north-hall"})["id"]
    work(bare)
    assert firm("GET", f"/move-in/{move}")["state"] == "rehearsed"
    firm("POST", f"/move-in/{move}/apply")
    work(bare)
    assert firm("GET", f"/move-in/{move}")["state"] == "ended"
    kept = {row["channel"] for row in firm("GET", "/move-in/in-step")["items"]}
    assert kept == {"hagglet", "loomstead"}
    firm("POST", "/move-in/in-step", {"channels": sorted(kept)})
    work(bare)
    assert firm("GET", "/move-in/in-step")["items"] == []


def test_from_nothing_to_the_first_parcel(firm, bare, world):
    made = load_made(world, 11)
    set_up(firm, world)
    before = {key: world.listings(key) for key in ("hagglet", "loomstead")}
    move_in(firm, bare)
    links, right = links_made(bare, made)
    assert links == right > 0
    deliver(bare)
    for key, rows in before.items():
        after = world.listings(key)
        assert [row["price"] for row in after.values()] == [row["price"] for row in rows.values()]

    sku = next(
        sku
        for sku, row in world.listings("hagglet").items()
        if row["quantity"] > 3 and not row["variants"]
    )
    sale = world.buy("hagglet", sku, 2)
    (number,) = read(bare)
    assert firm("POST", "/orders/release", {"numbers": [number]})["items"][0]["ok"]
    shipment = firm("GET", f"/orders/{number}")["shipments"][0]["id"]
    picking = firm("POST", "/pick-lists", {"shipments": [shipment]})
    for pick in picking["picks"]:
        told = {"pick": pick["id"], "quantity": pick["quantity"], "code": pick["sku"]}
        firm("POST", f"/pick-lists/{picking['id']}/picks", told)
    lines = [{"sku": line["sku"], "quantity": line["quantity"]} for line in picking["picks"]]
    firm("POST", f"/shipments/{shipment}/parcels", {"lines": lines, "weight_g": 900})
    service = firm("GET", f"/shipments/{shipment}/services")["items"][0]["service"]
    firm("POST", f"/shipments/{shipment}/labels", {"service": service})
    firm("POST", f"/shipments/{shipment}/dispatch")
    deliver(bare)
    (parcel,) = firm("GET", f"/shipments/{shipment}")["parcels"]
    assert [one["code"] for one in world.order("hagglet", sale)["tracking"]] == [
        parcel["tracking_number"]
    ]
    assert_sound(bare)
