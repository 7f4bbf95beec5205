"""Holds small verbs for tests of the API: a good product, putting one in, reading a problem."""

from urllib.parse import quote

from tests.house import png

GOOD = {
    "sku": "PT-14",
    "title": "Aubrey pot",
    "description": "A stoneware pot, thrown by hand.",
    "category": "Pots",
    "gtin": "4006381333931",
    "weight_g": 720,
    "size_mm": {"l": 154, "w": 154, "h": 140},
    "attributes": {"material": "clay"},
    "cost": {"amount": 520, "currency": "EUR"},
    "prices": {"retail": {"amount": 1690, "currency": "EUR"}},
    "aliases": ["OLD-1"],
}

MOVE = {"sku": "PT-14", "warehouse": "millrace", "reason": "receipt"}


def put_in(api, sku="PT-14", units=10, **facts):
    product = {**GOOD, "sku": sku, "gtin": None, "aliases": [], **facts}
    assert api.post("/api/v1/products", json=product).status_code == 201
    files = {"file": ("pot.png", png(), "image/png")}
    assert (
        api.post(f"/api/v1/products/{quote(sku, safe='')}/pictures", files=files).status_code == 201
    )
    if units:
        move = {"sku": sku, "warehouse": "millrace", "change": units, "reason": "receipt"}
        assert api.post("/api/v1/stock/movements", json=move).status_code == 201


def problem(answer, status):
    assert answer.status_code == status, answer.text
    assert answer.headers["content-type"] == "application/problem+json"
    body = answer.json()
    assert {"type", "title", "status", "code", "fix", "detail", "errors"} <= body.keys()
    return body


def walk(api, *shipments):
    return api.post("/api/v1/pick-lists", json={"shipments": list(shipments)}).json()


def pick_all(api, found):
    for pick in found["picks"]:
        body = {"pick": pick["id"], "quantity": pick["quantity"], "code": pick["sku"]}
        assert api.post(f"/api/v1/pick-lists/{found['id']}/picks", json=body).status_code == 200
