"""The page of what orders earned, its file, and the same over HTTP."""

import pytest

from tests.house import add_pot
from tests.steps.orders import take
from tests.visitor import page, post, shown, words


@pytest.fixture
def sold(web, workplace, owner):
    add_pot(workplace, owner, "PT-14", units=9, cost=500)
    return take(workplace, owner, ("PT-14", 2))


def test_it_is_shown_as_table_chart_and_file(web, sold):
    told = page(web.get("/orders/earned?by=product"))
    assert "33.80" in shown(told)
    assert len(told.cssselect(".earned-chart rect")) == 2
    assert "PT-14,2,33.80" in web.get("/orders/earned.csv?by=product").text
    wrong = web.get("/orders/earned?from=2026-12-31&to=2026-01-01")
    assert wrong.status_code == 422
    assert "before it begins" in shown(page(wrong))
    assert "No order was placed" in shown(
        page(web.get("/orders/earned?from=2020-01-01&to=2020-01-02"))
    )
    assert "Cost of the goods" in words(web.get(f"/orders/{sold}/earned"))
    assert "seen inside only" in shown(page(web.get(f"/orders/{sold}")))


def test_the_packaging_of_a_parcel_is_saved_with_the_firm(web, workplace):
    firm = {"name": "Q", "currency": "EUR", "locale": "en_IE", "time_zone": "Europe/Dublin"}
    post(web, "/setup/firm", **firm, packaging="0.45")
    assert workplace.firm.packaging == 45
    assert post(web, "/setup/firm", **firm, packaging="2000").status_code == 422
    assert post(web, "/setup/firm", **firm, packaging="much").status_code == 422


def test_the_same_over_http(api, workplace, owner):
    add_pot(workplace, owner, "PT-14", units=9, cost=500)
    number = take(workplace, owner, ("PT-14", 2))
    told = api.get("/api/v1/earned", params={"by": "order"}).json()
    assert [(item["key"], item["cost"]["amount"]) for item in told["items"]] == [(number, 1000)]
    assert told["total"]["margin"] == told["items"][0]["margin"]
    assert (
        api.get("/api/v1/earned.csv", params={"by": "week"})
        .text.lstrip("\ufeff")
        .startswith("Week,")
    )
    assert api.get("/api/v1/earned", params={"by": "moon"}).status_code == 422
    assert api.get("/api/v1/earned", params={"from": "2027-01-01"}).status_code == 422
    assert api.patch("/api/v1/firm", json={"packaging": 60}).json()["packaging"] == 60
