"""Tests the pages of price lists: the sheet, floors, quantity breaks, margins."""

import pytest

from relvan.services.prices.lists import NewPriceList, add_price_list
from tests.house import add_pot, held
from tests.visitor import page, post


def test_the_price_sheet_saves_what_can_be_read_and_says_what_cannot(web, workplace, owner):
    add_price_list(workplace, owner, NewPriceList("trade", "Trade", "EUR", False))
    add_pot(workplace, owner, "A", units=0)
    answer = post(
        web,
        "/prices/lists/cells",
        subject=["A", "X"],
        column=["trade", "trade"],
        value=["9,90", "1"],
        least=["1"] * 2,
    )
    assert [item["ok"] for item in answer.json()["items"]] == [True, False]
    assert page(web.get("/prices/lists")).cssselect("[data-column=trade]")[0].get("value") == "9.90"
    assert "Profit" in web.get("/prices/lists/margin?sku=A&key=trade").text


@pytest.mark.parametrize(
    ("currency", "typed", "shown"), [("JPY", "1500", "1500"), ("CHF", "15", "15.00")]
)
def test_a_break_is_shown_in_the_currency_of_its_list(
    web, workplace, owner, currency, typed, shown
):
    add_price_list(workplace, owner, NewPriceList("abroad", "Abroad", currency, True))
    add_pot(workplace, owner, "A", units=0)
    post(web, "/prices/lists/cells", subject=["A"], column=["abroad"], value=[typed], least=["12"])
    (breaks,) = page(web.get("/prices/lists")).cssselect("td.breaks")
    assert f"abroad from 12: {shown}" in breaks.text_content().replace("+ break", "")
    assert breaks.cssselect("span.nowrap")[0].text_content().endswith(f": {shown}")


def test_a_margin_is_a_column_only_where_it_can_be_known(web, workplace, owner):
    add_pot(workplace, owner, "PT-14", units=0)
    add_price_list(workplace, owner, NewPriceList("francs", "Francs", "CHF", tax_inside=True))
    sheet = page(web.get("/prices/lists"))
    headings = [
        cell.text_content().strip() for cell in sheet.cssselect("table.sheet-grid thead th")
    ]
    assert headings.count("Margin") == 1
    assert any(heading.startswith("Francs, CHF") for heading in headings)
    [row] = sheet.cssselect("tr[data-subject='PT-14']")
    assert len(row.cssselect("td")) == len(headings)


def test_price_and_floor_are_set_both_or_neither(workplace, owner, web):
    add_pot(workplace, owner, "PT-14", floor=1200)
    assert (
        post(web, "/prices", sku="PT-14", list="nowhere", amount="18.90", floor="11.00").status_code
        == 422
    )
    assert held(workplace)["floor"] == 1200


def test_a_quantity_break_from_an_unreadable_number_sets_no_price(workplace, owner, web):
    add_pot(workplace, owner, "PT-14")
    cells = {"subject": "PT-14", "column": "retail", "value": "9.90", "least": "a dozen"}
    answer = web.post("/prices/lists/cells", data=cells, headers={"X-CSRF-Token": web.csrf}).json()
    assert [(item["ok"], "a dozen" in item["message"]) for item in answer["items"]] == [
        (False, True)
    ]
    assert held(workplace)["price retail"] == 1690


def test_a_floor_that_cannot_be_read_is_refused_and_changes_nothing(workplace, owner, web):
    add_pot(workplace, owner, "PT-14", floor=1200)
    answer = post(web, "/prices", sku="PT-14", list="retail", amount="18.90", floor="about 12")
    assert answer.status_code == 422
    assert "must be an amount in EUR" in answer.text
    assert (held(workplace)["floor"], held(workplace)["price retail"]) == (1200, 1690)
    assert (
        post(web, "/prices", sku="PT-14", list="retail", amount="18.90", floor="11.00").status_code
        == 200
    )
    assert (held(workplace)["floor"], held(workplace)["price retail"]) == (1100, 1890)
