"""Tests how a whole world is loaded into a channel, read by its seller, and emptied again."""

import pytest

WORDS = {"corvello": "Stall", "hagglet": "Token", "loomstead": "Key", "ownshop": "Bearer"}
POT = {
    "sku": "P1",
    "title": "Aubrey pot, celadon, 14 cm",
    "text": "A pot that is glazed by hand.",
    "price": 1990,
    "quantity": 4,
    "gtin": "4006381333931",
    "brand": "Millgrove",
    "weight_g": 640,
    "placed_at": "2020-03-01T08:00:00+00:00",
    "changed_at": "2026-10-05T09:30:00+00:00",
}
FAMILY = {
    "sku": "F1",
    "title": "Merrow trowel",
    "text": "A trowel in two widths.",
    "brand": "Millgrove",
    "traits": ["width"],
    "variants": [
        {"sku": "F1-4", "price": 900, "quantity": 2, "traits": {"width": "4 cm"}},
        {
            "sku": "F1-6",
            "price": 1100,
            "quantity": 0,
            "traits": {"width": "6 cm"},
            "title": "The wide trowel",
            "text": "Six centimetres.",
            "weight_g": 200,
        },
    ],
}
CHANNELS = ("corvello", "hagglet", "loomstead", "ownshop")


def signed(world, channel):
    return {"Authorization": f"{WORDS[channel]} {world.token(channel)}"}


def load(world, channel, *listings, **more):
    answer = world.client.put(
        f"/world/{channel}/listings", json={"listings": list(listings), **more}
    )
    assert answer.status_code == 200, answer.text
    return answer.json()["listings"]


@pytest.mark.parametrize("channel", CHANNELS)
def test_a_world_replaces_what_was_there_and_is_emptied(world, channel):
    rows = 3 if channel == "corvello" else 4
    assert load(world, channel, POT, FAMILY) == rows
    assert load(world, channel, POT, FAMILY) == rows
    shown = world.listings(channel)
    assert shown["P1"]["price"] == 1990
    assert shown["F1-6"]["title"] == "The wide trowel"
    assert shown["F1-4"]["title"] == "Merrow trowel, 4 cm"
    assert ("F1" in shown) == (channel != "corvello")
    emptied = world.client.delete(f"/world/{channel}/listings")
    assert emptied.json() == {"listings": rows}
    assert world.listings(channel) == {}


def test_a_listing_that_is_wrong_leaves_the_world_as_it_was(world):
    load(world, "hagglet", POT)
    wrong = {**POT, "price": -1}
    answer = world.client.put("/world/hagglet/listings", json={"listings": [FAMILY, wrong]})
    assert answer.status_code == 422
    assert set(world.listings("hagglet")) == {"P1"}
    assert world.client.put("/world/nowhere/listings", json={"listings": []}).status_code == 404


def test_sellers_read_what_moving_in_needs(world):
    read = {}
    for channel, path, named in (
        ("corvello", "counter/offers", "offers"),
        ("hagglet", "seller/notices", "notices"),
        ("loomstead", "desk/pieces", "pieces"),
        ("ownshop", "admin/items", "items"),
    ):
        load(world, channel, POT, FAMILY)
        headers = signed(world, channel)
        found = world.client.get(f"/{channel}/{path}", headers=headers).json()[named]
        code = {"ownshop": "sku", "hagglet": "own_code"}.get(channel, "code")
        read[channel] = {row[code]: row for row in found}
        row = read[channel]["P1"]
        assert row["placed"].startswith("2020-03-01T08:00")
        assert row["changed"].startswith("2026-10-05T09:30")
    assert read["hagglet"]["P1"]["weight"] == 640
    assert read["loomstead"]["P1"]["weight"] == 640
    assert read["loomstead"]["P1"]["gtin"] == POT["gtin"]
    assert read["loomstead"]["P1"]["brand"] == "Millgrove"
    assert read["loomstead"]["P1"]["standing"] == "live"  # it was renewed every hundred days
    assert read["ownshop"]["P1"]["brand"] == "Millgrove"
    assert read["loomstead"]["F1-6"]["story"] == "Six centimetres."
    assert read["hagglet"]["F1-6"]["text"] == "Six centimetres."
    assert read["ownshop"]["F1-6"]["name"] == "The wide trowel"


def test_any_seller_can_have_a_name(world):
    load(world, "hagglet", POT, seller="Thornby & Daughters")
    headers = signed(world, "hagglet")
    told = world.client.get("/hagglet/seller/hello", headers=headers).json()
    assert told["seller"] == "Thornby & Daughters"


def test_what_was_loaded_can_be_bought_and_changed(world):
    load(world, "loomstead", POT)
    ref = world.listings("loomstead")["P1"]["ref"]
    headers = {**signed(world, "loomstead"), "Content-Type": "application/json-patch+json"}
    patch = '[{"op": "add", "path": "/rappen", "value": 2100}]'
    world.client.post("/world/loomstead/purchases", json={"sku": "P1", "quantity": 1})
    answer = world.client.patch(f"/loomstead/desk/pieces/{ref}", content=patch, headers=headers)
    assert answer.status_code == 422  # changed as a whole, it must be what the marketplace takes
    assert world.listings("loomstead")["P1"]["quantity"] == 3


def test_the_store_keeps_a_brand_that_a_change_does_not_say(world):
    load(world, "ownshop", POT, FAMILY)
    headers = signed(world, "ownshop")
    variant = {"of": "F1", "choice": {"width": "6 cm"}, "weight": 210, "price": "11.00"}
    answer = world.client.put("/ownshop/admin/items/F1-6", json=variant, headers=headers)
    assert answer.status_code == 200, answer.text
    kept = world.client.get("/ownshop/admin/items/F1-6", headers=headers).json()
    assert (kept["name"], kept["weight"]) == ("The wide trowel", 210)


def test_a_call_repeated_under_one_key_answers_from_the_key_before_it_is_checked(world):
    notice = {"heading": "A pot", "text": "A pot that is glazed by hand.", "shelf": "hg-planters"}
    notice |= {"details": {"material": "stoneware"}, "condition": "new", "asking": 900, "units": 1}
    head = {**signed(world, "hagglet"), "Request-Id": "r-1"}
    png = b"\x89PNG"
    photo = world.client.post("/hagglet/seller/photos", content=png, headers=head).json()["photo"]
    placed = world.client.post(
        "/hagglet/seller/notices", json={**notice, "photos": [photo]}, headers=head
    )
    assert placed.status_code == 201, placed.text
    again = world.client.post("/hagglet/seller/notices", json={"heading": "x"}, headers=head)
    assert (again.status_code, again.json()["notice"]) == (409, placed.json()["notice"])
    lines = [{"key": "k", "do": "units", "offer": "none", "units": 1}]
    there, corvello = "/corvello/counter/handins", {**signed(world, "corvello"), "Mark": "m-1"}
    first = world.client.post(there, json={"lines": lines}, headers=corvello)
    second = world.client.post(there, json={"lines": []}, headers=corvello)
    assert second.status_code == 200, second.text
    assert second.json()["handin"] == first.json()["handin"]
