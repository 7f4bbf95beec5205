"""Tests the list of stock and a product's stock: movements, what is kept back, safety stock."""

import pytest
from lxml import html

from tests.house import (
    add_pot,
    assert_sound,
    stock_of_sku,
)
from tests.steps.sale import packed_by_hand
from tests.visitor import page, post, shown, undo, words, wrong_beside


@pytest.mark.parametrize(
    ("fields", "field"),
    [
        ({"reason": "receipt", "units": ""}, "units"),
        ({"reason": "receipt", "units": "many"}, "units"),
        ({"reason": "receipt", "units": "-2"}, "change"),
        ({"reason": "count", "units": "-2"}, "counted"),
        ({"reason": "receipt", "units": "2", "bin": "Z-9"}, "bin"),
        ({"reason": "receipt", "units": "2", "note": "x" * 300}, "note"),
    ],
)
def test_a_movement_with_a_fault_is_refused_beside_its_field(workplace, owner, web, fields, field):
    add_pot(workplace, owner, "PT-14", units=0)
    answer = post(web, "/stock/PT-14", warehouse="millrace", **fields)
    assert answer.status_code == 422
    assert wrong_beside(answer, field)


def test_a_form_sent_twice_moves_once(workplace, owner, web):
    add_pot(workplace, owner, "PT-14", units=0)
    for _ in range(2):
        post(
            web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="same-form"
        )
    assert (
        "5 on hand"
        in post(
            web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="same-form"
        ).text
    )
    assert_sound(workplace)


def test_what_is_kept_back_is_typed_on_the_stock_page(web, workplace, owner, pots):
    assert "3 of PT-INK are kept back" in words(
        post(web, "/stock/PT-INK/safety", safety="3", warehouse="millrace")
    )
    for wrong in ("-1", "many", ""):
        answer = post(web, "/stock/PT-INK/safety", safety=wrong, warehouse="millrace")
        assert answer.status_code == 422
        assert wrong_beside(answer, "safety")


def test_goods_that_have_moved_on_cannot_be_taken_back(workplace, owner, web):
    add_pot(workplace, owner, "PT-14", units=0)
    answer = post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="a")
    post(web, "/stock/PT-14", warehouse="millrace", reason="write-off", units="3", key="b")
    refused = undo(web, answer)
    assert refused.status_code == 422
    assert "have moved on since" in refused.text


def test_today_counts_lead_to_what_they_count(shop, owner, web):
    post(web, "/stock/PT-14", warehouse="millrace", reason="block", units="2", key="a")
    rows = html.fromstring(web.get("/stock?blocked=yes").text).cssselect("#rows td.sku")
    assert {shown(row) for row in rows} == {"PT-14"}
    assert "No product is like that" in web.get("/prices?floor=held").text


@pytest.mark.parametrize(
    "typed", ["1,5", "1.5", "12e3", "²", "five", "1 00", "٣", "--1", "9999999999"]
)
def test_a_number_of_units_that_is_no_whole_number_is_refused(workplace, owner, web, typed):
    add_pot(workplace, owner, "PT-14", units=0)
    answer = post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units=typed, key="k")
    assert answer.status_code == 422
    assert "must be a whole number" in wrong_beside(answer, "units")


@pytest.mark.parametrize(
    ("typed", "units"), [("1,200", 1200), ("1 200", 1200), ("12", 12), ("+3", 3)]
)
def test_thousands_may_be_grouped(workplace, owner, web, typed, units):
    add_pot(workplace, owner, "PT-14", units=0)
    told = post(
        web, "/stock/PT-14", warehouse="millrace", reason="receipt", units=typed, key="k"
    ).text
    assert f"{units} on hand" in told


def test_stock_has_one_row_a_product_with_its_warehouses_side_by_side(seven_pots, web):
    page = html.fromstring(web.get("/stock?q=PT-3").text)
    assert [shown(head) for head in page.cssselect("thead th")[3:5]] == [
        "Millrace free of on hand",
        "Yard free of on hand",
    ]
    (row,) = [
        row for row in page.cssselect("tbody tr") if shown(row.cssselect("td.sku")[0]) == "PT-3"
    ]
    cells = [" ".join(cell.text_content().split()) for cell in row.cssselect("td.num")]
    assert cells[:2] == ["2 of 3", "20 of 20"]
    assert cells[2:] == ["23", "1", "0", "0", "22"]


def safety(place, sku):
    with place.database.reading() as session:
        return {row.warehouse_key: row.safety for row in stock_of_sku(session, sku)}


def test_safety_stock_is_set_for_many_foreseen_and_undone(seven_pots, web):
    post(web, "/stock/PT-0/safety", safety="4", warehouse="yard")
    foreseen = post(
        web,
        "/stock/foresee/safety",
        all="yes",
        page="stock",
        query="q=PT-",
        warehouse="yard",
        units="4",
    )
    assert "10 would change" in foreseen.text
    assert "1 have it already" in foreseen.text
    told = post(
        web,
        "/stock/do/safety",
        all="yes",
        page="stock",
        query="q=PT-",
        warehouse="yard",
        units="4",
        back="/stock?q=PT-",
    )
    assert "Safety stock set for 10 products. 1 had it already." in told.text
    assert {safety(seven_pots, f"PT-{number}")["yard"] for number in range(7)} == {4}
    form = html.fromstring(told.text).cssselect(".toast-note form")[0]
    fields = [(field.get("name"), field.get("value")) for field in form.cssselect("input")]
    web.post(
        form.get("action"), data={name: [v for n, v in fields if n == name] for name, _ in fields}
    )
    assert [safety(seven_pots, sku)["yard"] for sku in ("PT-0", "PT-1")] == [4, 0]


def test_a_safety_stock_that_cannot_be_is_refused_whole(seven_pots, web):
    for wrong, status in (
        ({"units": "many", "warehouse": "yard"}, 422),
        ({"units": "4", "warehouse": "moon"}, 404),
        ({"units": "-1", "warehouse": "yard"}, 422),
    ):
        assert post(web, "/stock/do/safety", pick="PT-1", **wrong).status_code == status, wrong
    told = post(
        web, "/stock/do/safety", pick=["PT-1", "NOPE", "PT"], units="2", warehouse="yard"
    ).text
    assert (
        "2 were refused: There is no product “NOPE”. “PT” is a family and holds no stock." in told
    )
    assert safety(seven_pots, "PT-1") == {"millrace": 0, "yard": 2}


def test_a_use_by_date_is_shown_with_its_year_and_a_past_one_as_past(workplace, owner, web):
    add_pot(workplace, owner, "PT-77", units=0)
    for day, told in (("2026-01-30", "Fri 30 Jan 2026, past"), ("2027-01-30", "Sat 30 Jan 2027")):
        fields = {"reason": "receipt", "units": "2", "warehouse": "millrace", "bin": "A-01"}
        post(web, "/stock/PT-77", **fields, use_by=day)
        assert told in " ".join(web.get("/stock/PT-77").text.split())
        post(web, "/stock/PT-77", **{**fields, "reason": "write-off"})


def test_what_was_picked_stands_beside_what_a_bin_holds(desk, owner, web):
    packed_by_hand(desk, owner, [("PT-14", 2)])
    whole = shown(page(web.get("/stock/PT-14")))
    assert "Bin On hand Picked Blocked Use by Millrace A-01 5 2 0" in whole
    assert "PT-14 Pot PT-14 5 2 0" in shown(page(web.get("/stockroom/bins?warehouse=millrace")))
    counting = shown(page(web.get("/stockroom/count?warehouse=millrace&bin=A-01")))
    assert "Picked Thought to lie here Counted PT-14 Pot PT-14 2 3" in counting
