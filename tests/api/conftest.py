"""Holds what tests of the API share."""

import pytest

from tests.caller import GOOD

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
