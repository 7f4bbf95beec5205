"""The whole catalogue over HTTP: families, kits, files, changes of many, categories, price lists,
history."""

import io

import pytest

from relvan.core.imports.columns import FileKind
from relvan.services.bulk.take_out import EXPORTED
from relvan.services.bulk.work import work_next
from tests.caller import GOOD, problem
from tests.house import png

V1 = "/api/v1"


def work(workplace):
    while work_next(workplace):
        pass


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


def test_a_file_is_rehearsed_applied_and_undone(api, workplace):
    api.post(f"{V1}/products", json=GOOD)
    text = b"sku,title,weight (kg)\nPT-14,,1.5\nNEW,New one,2\n,No code,\n"
    job = api.post(f"{V1}/imports", files={"file": ("a.csv", text)}, data={"kind": "products"})
    assert job.status_code == 202
    path = f"{V1}/bulk-jobs/{job.json()['id']}"
    work(workplace)
    found = api.get(path).json()
    assert (found["state"], found["counts"]) == (
        "rehearsed",
        {"changes": 1, "new": 1, "refused": 1},
    )
    rows = api.get(f"{path}/rows").json()["items"]
    assert rows[0]["change"] == {"weight_g": [720, 1500]}
    assert api.post(f"{path}/apply").json()["state"] == "applying"
    assert problem(api.post(f"{path}/apply"), 409)["code"] == "wrong-state"
    work(workplace)
    assert api.get(f"{V1}/products/PT-14").json()["weight_g"] == 1500
    result = api.get(f"{path}/result.csv").content.decode("utf-8-sig").splitlines()
    assert result[0] == "sku,title,weight (kg),Verdict,Reason"
    assert result[1].startswith("PT-14,,1.5,done")
    api.post(f"{path}/undo")
    work(workplace)
    assert api.get(f"{V1}/products/PT-14").json()["weight_g"] == 720
    assert [entry["via"] for entry in api.get(f"{V1}/products/PT-14/history").json()["items"]][
        :2
    ] == ["undo", "import"]


@pytest.mark.parametrize(
    ("fields", "file", "code"),
    [
        ({"kind": "dragons"}, ("a.csv", b"sku\nA\n"), "not-allowed"),
        ({"kind": "products", "mapping": "[{"}, ("a.csv", b"sku\nA\n"), "form"),
        ({"kind": "products", "mapping": "nobody"}, ("a.csv", b"sku\nA\n"), "not-found"),
        ({"kind": "products", "options": '{"wild": 1}'}, ("a.csv", b"sku\nA\n"), "not-allowed"),
        ({"kind": "products"}, ("a.exe", b"MZ"), "no-table"),
        ({"kind": "products"}, ("a.xlsx", b"PK\x03\x04cut off"), "no-table"),
        ({"kind": "products"}, ("a.csv", b"\xff\xfe\x00"), "encoding"),
    ],
)
def test_a_file_that_cannot_be_taken_is_refused_in_words(api, fields, file, code):
    answer = api.post(f"{V1}/imports", files={"file": file}, data=fields)
    assert (answer.status_code, answer.json()["code"]) == (
        404 if code == "not-found" else 422,
        code,
    )


def test_a_mapping_is_kept_used_and_forgotten(api, workplace):
    columns = [{"heading": "X", "name": "sku"}, {"heading": "Y", "name": "title"}]
    assert (
        api.post(
            f"{V1}/mappings", json={"kind": "products", "name": "Mine", "columns": columns}
        ).status_code
        == 201
    )
    job = api.post(
        f"{V1}/imports",
        files={"file": ("a.csv", b"X,Y\nA,B\n")},
        data={"kind": "products", "mapping": "mine"},
    )
    work(workplace)
    assert api.get(f"{V1}/bulk-jobs/{job.json()['id']}").json()["counts"] == {"new": 1}
    assert api.get(f"{V1}/mappings").json()["items"][0]["name"] == "Mine"
    assert api.delete(f"{V1}/mappings/Mine").status_code == 200
    assert api.delete(f"{V1}/mappings/Mine").status_code == 404


@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_templates_and_files_out(api, form):
    api.post(f"{V1}/products", json=GOOD)
    assert api.get(f"{V1}/imports/templates/kits.{form}").status_code == 200
    taken = api.get(f"{V1}/exports/products.{form}", params={"columns": "title,weight_g"})
    assert "attachment" in taken.headers["content-disposition"]
    if form == "csv":
        assert taken.content.decode("utf-8-sig").splitlines()[0] == "SKU,Title,Weight g"
    assert problem(api.get(f"{V1}/exports/products.pdf"), 422)["code"] == "not-allowed"
    assert problem(api.get(f"{V1}/exports/listing-deeds.{form}"), 404)["code"] == "not-found"
    assert len(api.get(f"{V1}/imports/kinds").json()["items"]) == len(FileKind)


@pytest.mark.parametrize("kind", EXPORTED)
def test_every_kind_that_can_be_exported_gives_a_whole_file(api, kind):
    api.post(f"{V1}/products", json=GOOD)
    taken = api.get(f"{V1}/exports/{kind}.csv")
    heads = [
        column["heading"]
        for one in api.get(f"{V1}/imports/kinds").json()["items"]
        if one["kind"] == kind
        for column in one["columns"]
    ]
    assert taken.content.decode("utf-8-sig").splitlines()[0].split(",") == heads


@pytest.mark.parametrize(
    "column", [{"heading": "Item", "nmae": "sku"}, {"heading": {}}, {"name": "sku"}]
)
def test_a_mapping_of_another_form_is_refused_and_not_kept(api, column):
    wish = {"kind": "products", "name": "Ours", "columns": [column]}
    assert problem(api.post(f"{V1}/mappings", json=wish), 422)["code"] == "form"
    assert api.get(f"{V1}/mappings").json()["items"] == []


def test_many_are_changed_by_a_match(api, workplace, pots):
    wish = {
        "operations": [{"fact": "price retail", "deed": "percent", "value": "10"}],
        "match": {"family": "P"},
    }
    job = api.post(f"{V1}/products/change", json=wish).json()
    work(workplace)
    assert api.get(f"{V1}/bulk-jobs/{job['id']}").json()["counts"] == {"changes": 4}
    api.post(f"{V1}/bulk-jobs/{job['id']}/apply")
    work(workplace)
    assert api.get(f"{V1}/products/P-9-ink").json()["prices"]["retail"]["amount"] == 1859
    assert (
        problem(api.post(f"{V1}/products/change", json={**wish, "match": {"wild": 1}}), 422)["code"]
        == "unknown"
    )


@pytest.mark.parametrize(
    "match", [{"q": ["jug"]}, {"in_stock": "perhaps"}, {"family": {"sku": "P"}}, {"kind": 7}]
)
def test_a_match_of_the_wrong_type_is_refused_by_name(api, match):
    wish = {"operations": [{"fact": "brand", "deed": "empty"}], "match": match}
    refused = problem(api.post(f"{V1}/products/change", json=wish), 422)
    assert refused["code"] == "invalid"
    assert next(iter(match)) in refused["errors"][0]["field"]


def test_categories_attributes_and_price_lists(api):
    assert (
        api.post(f"{V1}/attributes", json={"name": "Frost-proof", "kind": "yes/no"}).status_code
        == 201
    )
    assert (
        api.post(
            f"{V1}/categories", json={"path": "Pots", "asks": {"Frost-proof": True}}
        ).status_code
        == 201
    )
    assert (
        api.post(
            f"{V1}/price-lists", json={"key": "chf", "name": "Francs", "currency": "CHF"}
        ).status_code
        == 201
    )
    body = {
        **GOOD,
        "attributes": {"frost-proof": True},
        "prices": {"chf": {"amount": 900, "currency": "CHF"}},
    }
    made = api.post(f"{V1}/products", json=body).json()
    assert made["attributes"] == {"Frost-proof": "yes"}
    wrong = {
        **GOOD,
        "sku": "X",
        "gtin": None,
        "prices": {"chf": {"amount": 900, "currency": "EUR"}},
    }
    assert problem(api.post(f"{V1}/products", json=wrong), 422)["code"] == "currency"
    assert (
        problem(api.post(f"{V1}/attributes", json={"name": "A", "kind": "colour"}), 422)["code"]
        == "not-allowed"
    )
    assert problem(api.post(f"{V1}/categories", json={"path": "Pots", "asks": {"None": True}}), 404)
    cells = {
        "cells": [
            {"sku": "PT-14", "price": "11.50"},
            {"sku": "PT-14", "price": "10.50", "least": 10},
        ]
    }
    assert api.post(f"{V1}/price-lists/chf/prices", json=cells).json()["items"][0]["ok"]
    told = api.get(f"{V1}/products/PT-14").json()
    assert told["breaks"]["chf"]["10"] == {"amount": 1050, "currency": "CHF"}
    assert api.get(f"{V1}/categories").json()["items"][0]["products"] == 1
    assert api.delete(f"{V1}/attributes/Frost-proof").status_code == 200
    assert problem(api.delete(f"{V1}/categories/Pots"), 409)["code"] == "in-use"


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


def test_a_workbook_goes_through_the_api(api, workplace):
    taken = api.get(f"{V1}/imports/templates/products.xlsx").content
    job = api.post(
        f"{V1}/imports", files={"file": ("t.xlsx", io.BytesIO(taken))}, data={"kind": "products"}
    ).json()
    work(workplace)
    found = api.get(f"{V1}/bulk-jobs/{job['id']}").json()
    assert found["counts"] == {"new": 1}, api.get(f"{V1}/bulk-jobs/{job['id']}/rows").json()
