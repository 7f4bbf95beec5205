"""Holds what tests of the API share."""

import pytest

from tests.caller import GOOD, put_in
from tests.house import connect
from tests.snapshots import built_once

V1 = "/api/v1"


@pytest.fixture
def pots(api):
    for glaze in ("ink", "oat"):
        for size in (9, 14):
            body = {**GOOD, "sku": f"P-{size}-{glaze}", "title": f"Pot, {glaze} glaze, {size} cm"}
            body |= {"gtin": None, "aliases": []}
            assert api.post(f"{V1}/products", json=body).status_code == 201
    skus = [f"P-{size}-{glaze}" for glaze in ("ink", "oat") for size in (9, 14)]
    proposed = api.post(f"{V1}/families/propose", json={"skus": skus}).json()
    made = api.post(
        f"{V1}/families",
        json={
            "sku": "P",
            "title": "Pot",
            "members": proposed["values"],
            "axes": [{"name": name} for name in proposed["traits"]],
        },
    )
    assert made.status_code == 201, made.text
    return made.json()


@built_once
def floor(api, workplace, owner, world):
    """Builds two released orders, of one and of three pots; returns the ids of their shipments by
    units."""
    connect(workplace, owner, world, "hagglet")
    put_in(api, sku="PT-14", units=10, gtin="4006381333931", aliases=["OLD-14"])
    to = {
        "name": "Ada Fennimore",
        "street": "12 Row",
        "town": "Tarnhollow",
        "postcode": "T1",
        "country": "IE",
    }
    found = {}
    for units in (1, 3):
        lines = [{"sku": "PT-14", "quantity": units}]
        order = api.post(f"{V1}/orders", json={"lines": lines, "ship_to": to, "paid": True}).json()[
            "number"
        ]
        assert api.post(f"{V1}/orders/release", json={"numbers": [order]}).json()["items"][0]["ok"]
        found[units] = api.get(f"{V1}/orders/{order}").json()["shipments"][0]["id"]
    return found
