"""Tests products over HTTP: one and many of them, pictures, and faults beside their fields."""

import base64

import pytest

from tests.caller import GOOD, problem
from tests.house import png, work


def test_a_product_comes_back_as_it_went_in(api):
    made = api.post("/api/v1/products", json=GOOD).json()
    assert {name: made[name] for name in GOOD} == GOOD
    assert api.get("/api/v1/products/old-1").json() == made
    changed = api.patch("/api/v1/products/PT-14", json={"title": "New", "weight_g": None}).json()
    assert (changed["title"], changed["weight_g"], changed["cost"]) == ("New", None, GOOD["cost"])
    assert api.delete("/api/v1/products/PT-14").json()["archived"]
    assert api.get("/api/v1/products").json()["items"] == []


def test_what_was_read_can_be_sent_back_unchanged(api):
    api.post("/api/v1/products", json=GOOD)
    api.post("/api/v1/products/PT-14/pictures", files={"file": ("pot.png", png())})
    read = api.get("/api/v1/products/PT-14").json()
    assert api.patch("/api/v1/products/PT-14", json=read).json() == read
    sha = read["pictures"][0]["sha"]
    assert api.delete(f"/api/v1/products/PT-14/pictures/{sha}").json()["pictures"] == []
    refused = api.patch("/api/v1/products/PT-14", json={"family": "POTS"})
    assert problem(refused, 422)["code"] == "no-family"


def test_pictures_may_come_with_the_product(api):
    picture = {"content": base64.b64encode(png()).decode()}
    made = api.post("/api/v1/products", json={**GOOD, "pictures": [picture]}).json()
    assert [(p["width"], p["height"]) for p in made["pictures"]] == [(400, 400)]
    answer = api.post(
        "/api/v1/products", json={**GOOD, "sku": "B", "gtin": None, "pictures": [{"content": "%%"}]}
    )
    assert problem(answer, 422)["errors"][0]["field"] == "pictures"
    assert api.get("/api/v1/products/B").status_code == 404


def test_empty_query_values_are_no_values(api):
    api.post("/api/v1/products", json=GOOD)
    path = "/api/v1/products?q=&not_on=&on=&category=&in_stock=&kind=&limit=&after="
    assert [item["sku"] for item in api.get(path).json()["items"]] == ["PT-14"]
    assert api.get("/api/v1/orders?limit=&after=").json() == {"items": [], "next": None}


def test_a_sku_with_a_slash_has_an_address(api):
    assert api.post("/api/v1/products", json={"sku": "A/B 1", "title": "x"}).status_code == 201
    assert api.get("/api/v1/products/A%2FB%201").json()["sku"] == "A/B 1"


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"sku": ""}, "sku"),
        ({"sku": "x" * 65}, "sku"),
        ({"sku": None}, "sku"),
        ({"title": ""}, "title"),
        ({"title": "x" * 5000}, "title"),
        ({"title": 7}, "title"),
        ({"gtin": "4006381333932"}, "gtin"),
        ({"weight_g": -1}, "weight_g"),
        ({"weight_g": "heavy"}, "weight_g"),
        ({"weight_g": 1.5}, "weight_g"),
        ({"weight_g": 10**12}, "weight_g"),
        ({"size_mm": {"l": 1, "w": 1}}, "size_mm.h"),
        ({"size_mm": {"l": -1, "w": 1, "h": 1}}, "size"),
        ({"cost": {"amount": -1, "currency": "EUR"}}, "cost"),
        ({"cost": {"amount": 1, "currency": "XYZ"}}, "cost"),
        ({"cost": 5}, "cost"),
        ({"kind": "family"}, "axes"),
        ({"kind": "thing"}, "kind"),
        ({"prices": {"none": {"amount": 1, "currency": "EUR"}}}, "price"),
        ({"tax_code": "x"}, "tax_code"),
        ({"aliases": ["PT-14"]}, "aliases"),
        ({"colour": "red"}, "colour"),
        ({"attributes": {"a": "x" * 500}}, "attributes"),
    ],
)
def test_a_product_with_a_fault_is_refused_beside_its_field_and_not_half_made(api, change, field):
    answer = api.post("/api/v1/products", json={**GOOD, **change})
    body = problem(answer, 422)
    assert field in {error["field"] for error in body["errors"]}
    assert api.get("/api/v1/products").json()["items"] == []


def test_a_script_tag_is_kept_as_text_and_shown_escaped(api, workplace):
    title = "<script>alert(1)</script>"
    assert api.post("/api/v1/products", json={**GOOD, "title": title}).json()["title"] == title


@pytest.mark.parametrize(
    ("content", "status"),
    [(b"a text file called .png", 422), (b"", 422), (png() + b"\0" * 30_000_000, 422)],
)
def test_a_file_that_is_no_picture_is_refused(api, content, status):
    api.post("/api/v1/products", json=GOOD)
    answer = api.post("/api/v1/products/PT-14/pictures", files={"file": ("a.png", content)})
    problem(answer, status)
    assert api.get("/api/v1/products/PT-14").json()["pictures"] == []


def test_many_products_at_once(api):
    items = [
        {"sku": "A", "title": "a"},
        {"sku": "B"},
        {"sku": "C", "title": "c", "colour": "x"},
        {"title": "no sku"},
    ]
    verdicts = api.post("/api/v1/products/bulk", json={"items": items}).json()["items"]
    assert [verdict["ok"] for verdict in verdicts] == [True, False, False, False]
    again = api.post("/api/v1/products/bulk", json={"items": [{"sku": "A", "brand": "b"}]}).json()[
        "items"
    ]
    assert again[0]["ok"]
    assert api.get("/api/v1/products/A").json()["title"] == "a"


def test_many_products_are_read_at_once_to_be_changed(api, workplace, count_queries):
    items = [{"sku": f"S{number}", "title": "a"} for number in range(60)]
    api.post("/api/v1/products/bulk", json={"items": items})
    asked = []
    for some in (3, 60):
        changes = [{"sku": item["sku"], "brand": f"{some}"} for item in items[:some]]
        with count_queries(workplace.database) as queries:
            verdicts = api.post("/api/v1/products/bulk", json={"items": changes}).json()["items"]
        assert all(verdict["ok"] for verdict in verdicts)
        asked.append(len([query for query in queries if query.startswith("SELECT")]))
    assert asked[1] == asked[0]


V1 = "/api/v1"


def test_pictures_in_order_and_from_the_web(api, workplace, world):
    api.post(f"{V1}/products", json=GOOD)
    for colour in ("red", "blue"):
        api.post(f"{V1}/products/PT-14/pictures", files={"file": ("p.png", png(colour))})
    shas = [picture["sha"] for picture in api.get(f"{V1}/products/PT-14").json()["pictures"]]
    order = {"pictures": [{"sha": shas[1]}, {"sha": shas[0], "role": "description"}]}
    told = api.put(f"{V1}/products/PT-14/pictures", json=order).json()["pictures"]
    assert told == [{"sha": shas[1], "role": "main"}, {"sha": shas[0], "role": "description"}]
    for address in (
        "ftp://example.com/a.png",
        "file:///etc/passwd",
        "http://user@example.com/a.png",
        "nonsense",
    ):
        refused = api.post(f"{V1}/products/PT-14/pictures/fetch", json={"addresses": [address]})
        assert problem(refused, 422)["code"] == "address"
    workplace.settings.private_addresses = False
    refused = api.post(
        f"{V1}/products/PT-14/pictures/fetch", json={"addresses": ["http://127.0.0.1:1/a.png"]}
    )
    assert "private network" in problem(refused, 422)["title"]
    workplace.settings.private_addresses = True
    job = api.post(
        f"{V1}/products/PT-14/pictures/fetch", json={"addresses": [f"{world.url}/nothing.png"]}
    ).json()["id"]
    work(workplace)
    (row,) = api.get(f"{V1}/bulk-jobs/{job}/rows").json()["items"]
    assert row["verdict"] == "refused"
    assert "there is no picture" in row["reason"]


def test_a_product_as_it_was(api, clock):
    api.post(f"{V1}/products", json=GOOD)
    clock.move(hours=1)
    then = clock.now.isoformat()
    clock.move(hours=1)
    api.patch(f"{V1}/products/PT-14", json={"title": "Another"})
    assert (
        api.get(f"{V1}/products/PT-14/as-of", params={"at": then}).json()["facts"]["title"]
        == GOOD["title"]
    )
    assert (
        problem(api.get(f"{V1}/products/PT-14/as-of", params={"at": "2026-01-01T00:00:00"}), 422)[
            "code"
        ]
        == "form"
    )
    assert api.get(f"{V1}/history").json()["items"][0]["deed"] == "changed"
