"""Rates of tax over HTTP."""

import pytest

PATH = "/api/v1/tax-rates"
IRISH = {"country": "IE", "code": "standard", "percent": "23", "from": "2026-01-01"}


def test_rates_are_set_read_and_taken_away(api):
    assert api.get(PATH).json()["items"] == []
    for percent in ("13.5", 13.5, "13.50"):
        told = api.put(PATH, json={"items": [{**IRISH, "code": "reduced", "percent": percent}]})
        assert told.status_code == 200, told.text
        assert [row["percent"] for row in told.json()["items"]] == ["13.5"]
    told = api.put(PATH, json={"items": [IRISH]}).json()
    assert [(row["code"], row["from"]) for row in told["items"]] == [
        ("reduced", "2026-01-01"),
        ("standard", "2026-01-01"),
    ]
    assert api.get(PATH).json() == told
    gone = {"country": "IE", "code": "reduced", "from": "2026-01-01"}
    assert len(api.put(PATH, json={"gone": [gone]}).json()["items"]) == 1


def test_the_union_is_taken_with_one_call(api):
    api.patch("/api/v1/firm", json={"name": "Quillmoss", "address": {"country": "IE"}})
    told = api.put(PATH, json={"union": True, "registered": ["DE", "FR"]}).json()
    assert len({row["country"] for row in told["items"]}) == 27
    assert (told["home"], told["registered"]) == ("IE", ["DE", "FR"])
    assert all("2006/112/EC" in row["origin"] for row in told["items"])


@pytest.mark.parametrize(
    "body",
    [
        {"items": [{**IRISH, "percent": "twenty"}]},
        {"items": [{**IRISH, "percent": 101}]},
        {"items": [{**IRISH, "percent": "5.555"}]},
        {"items": [{**IRISH, "country": "Ireland"}]},
        {"items": [IRISH, {**IRISH, "code": "luxury"}]},
        {"items": [{**IRISH, "from": "soon"}]},
        {"registered": ["Atlantis"]},
        {"rates": []},
    ],
)
def test_wrong_rates_change_nothing(api, body):
    answer = api.put(PATH, json=body)
    assert answer.status_code == 422
    assert api.get(PATH).json()["items"] == []
