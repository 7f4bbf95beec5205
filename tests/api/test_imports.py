"""Tests files in and out over HTTP, saved mappings, and changes of many products at once."""

import io

import pytest

from relvan.core.imports.columns import FileKind
from relvan.services.bulk.take_out import EXPORTED
from tests.caller import GOOD, problem
from tests.house import work

V1 = "/api/v1"


def test_a_file_is_rehearsed_applied_and_undone(api, workplace):
    api.post(f"{V1}/products", json=GOOD)
    text = b"sku,title,weight (kg),moon\nPT-14,,1.5,\nNEW,New one,2,full\n,No code,,\n"
    job = api.post(f"{V1}/imports", files={"file": ("a.csv", text)}, data={"kind": "products"})
    assert job.status_code == 202
    path = f"{V1}/bulk-jobs/{job.json()['id']}"
    work(workplace)
    found = api.get(path).json()
    assert (found["state"], found["counts"]) == (
        "rehearsed",
        {"changes": 1, "new": 1, "refused": 1},
    )
    fields = {one["heading"]: one["field"] for one in found["columns"]}
    assert fields == {"sku": "sku", "title": "title", "weight (kg)": "weight_g", "moon": None}
    rows = api.get(f"{path}/rows").json()["items"]
    assert rows[0]["change"] == {"weight_g": [720, 1500]}
    assert api.post(f"{path}/apply").json()["state"] == "applying"
    assert problem(api.post(f"{path}/apply"), 409)["code"] == "wrong-state"
    work(workplace)
    assert api.get(f"{V1}/products/PT-14").json()["weight_g"] == 1500
    result = api.get(f"{path}/result.csv").content.decode("utf-8-sig").splitlines()
    assert result[0] == "sku,title,weight (kg),moon,Verdict,Reason"
    assert result[1].startswith("PT-14,,1.5,,done")
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
    "column",
    [
        {"heading": "Item", "nmae": "sku"},
        {"heading": {}},
        {"name": "sku"},
        {"heading": "Item", "constant": False},
    ],
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


def test_a_workbook_goes_through_the_api(api, workplace):
    taken = api.get(f"{V1}/imports/templates/products.xlsx").content
    job = api.post(
        f"{V1}/imports", files={"file": ("t.xlsx", io.BytesIO(taken))}, data={"kind": "products"}
    ).json()
    work(workplace)
    found = api.get(f"{V1}/bulk-jobs/{job['id']}").json()
    assert found["counts"] == {"new": 1}, api.get(f"{V1}/bulk-jobs/{job['id']}/rows").json()
