"""Tests families and kits over HTTP."""

import pytest

from tests.caller import GOOD, problem

V1 = "/api/v1"


def test_a_family_is_proposed_linked_and_read(api, pots):
    assert pots["kind"] == "family"
    assert [axis["name"] for axis in pots["axes"]] == ["Glaze", "Size"]
    grid = api.get(f"{V1}/families/P/grid").json()
    assert len(grid["cells"]) == 4
    assert all(cell["sku"] for cell in grid["cells"])
    variant = api.get(f"{V1}/products/P-9-ink").json()
    assert (variant["family"], variant["traits"]) == ("P", {"Glaze": "ink", "Size": "9 cm"})
    assert api.patch(f"{V1}/products/P-9-ink", json=variant).json() == variant
    moved = api.post(f"{V1}/families/P/traits", json={"values": {"P-9-ink": {"Glaze": "oat"}}})
    assert problem(moved, 409)["code"] == "doubled"
    body = {"sku": "P-18-ink", "title": "Big", "traits": {"Glaze": "ink", "Size": "18 cm"}}
    assert api.post(f"{V1}/families/P/variants", json=body).status_code == 201
    holes = [cell for cell in api.get(f"{V1}/families/P/grid").json()["cells"] if not cell["sku"]]
    assert [cell["traits"]["Size"] for cell in holes] == ["18 cm"]
    assert api.post(f"{V1}/families/split-off", json={"skus": ["P-18-ink"]}).status_code == 200
    assert len(api.post(f"{V1}/families/P/dissolve").json()["skus"]) == 4


def test_what_a_family_lends_is_told_and_stays_lent(api, pots):
    api.patch(f"{V1}/products/P-9-ink", json={"brand": None})
    api.patch(f"{V1}/products/P", json={"brand": "Tarn"})
    told = api.get(f"{V1}/products/P-9-ink").json()
    assert told["brand"] == "Tarn"
    assert "brand" in told["lent"]["fields"]
    api.patch(f"{V1}/products/P-9-ink", json=told)
    api.patch(f"{V1}/products/P", json={"brand": "Weir"})
    assert api.get(f"{V1}/products/P-9-ink").json()["brand"] == "Weir"


def test_variants_are_generated(api):
    wish = {
        "sku": "B",
        "title": "Bowl",
        "axes": [{"name": "Glaze", "values": ["Ink", "Oat"]}],
        "sku_pattern": "B-{Glaze:3}",
        "shared": {"category": "Bowls"},
    }
    assert api.post(f"{V1}/families", json=wish).status_code == 201
    assert api.get(f"{V1}/products/B-INK").json()["category"] == "Bowls"
    assert (
        problem(api.post(f"{V1}/families", json={**wish, "sku": "C"}), 409)["code"] == "sku-taken"
    )
    assert api.get(f"{V1}/products", params={"family": "B"}).json()["items"][0]["sku"] == "B-INK"


@pytest.mark.parametrize(
    ("parts", "code"),
    [
        ([{"sku": "NONE", "quantity": 1}], "no-part"),
        ([{"sku": "K", "quantity": 1}], "circle"),
        ([{"sku": "PT-14", "quantity": 0}], "out-of-range"),
        ([{"sku": "PT-14"}], "invalid"),
    ],
)
def test_a_kit_with_a_fault_is_refused(api, parts, code):
    api.post(f"{V1}/products", json=GOOD)
    answer = api.post(
        f"{V1}/products", json={"sku": "K", "title": "Kit", "kind": "kit", "parts": parts}
    )
    assert code in {error["code"] for error in problem(answer, 422)["errors"]}
    assert api.get(f"{V1}/products/K").status_code == 404


def test_a_kit_is_made_and_follows_its_parts(api):
    api.post(f"{V1}/products", json=GOOD)
    kit = {"sku": "K", "title": "Kit", "kind": "kit", "parts": [{"sku": "PT-14", "quantity": 2}]}
    assert api.post(f"{V1}/products", json=kit).json()["parts"] == kit["parts"]
    api.post(
        f"{V1}/stock/movements",
        json={"sku": "PT-14", "warehouse": "millrace", "change": 5, "reason": "receipt"},
    )
    found = api.get(f"{V1}/stock/K/availability").json()
    assert found["free"] == 2
    assert "scarcest part PT-14" in found["why"][0]["detail"]
    refused = api.post(
        f"{V1}/stock/movements",
        json={"sku": "K", "warehouse": "millrace", "change": 1, "reason": "receipt"},
    )
    assert problem(refused, 422)["code"] == "not-stocked"
