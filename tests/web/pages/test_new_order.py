"""Tests the pages on which orders and estimates are entered, and those that customers open."""

import pytest
from lxml import html

from relvan.services.setup.firm import change_firm
from tests.house import orders
from tests.steps.books import FIRM
from tests.steps.orders import one, take
from tests.visitor import post

TO = {
    "name": "Ada Fennimore",
    "street": "12 Larkspur Row",
    "town": "Tarnhollow",
    "postcode": "4821 AB",
    "country": "NL",
    "mail": "ada@example.com",
}


def shown(answer, selector="body"):
    page = html.fromstring(answer.text)
    return " ".join(" ".join(part.text_content() for part in page.cssselect(selector)).split())


def fields_of(answer):
    """Returns what the draft on a page would post."""
    page = html.fromstring(answer.text)
    return {
        field.get("name"): field.get("value") or ""
        for field in page.cssselect("input[name]")
        if field.get("name") not in ("csrf", "spoken", "free_title")
    }


def say(web, spoken, fields=None):
    return post(web, "/orders/new/judge", spoken=spoken, **TO, **(fields or {}))


def test_lines_are_read_out_one_after_the_other(desk, web):
    assert "Nothing is in it yet." in web.get("/orders/new").text
    first = say(web, "2 PT-14")
    second = say(web, "PT-18", fields_of(first))
    again = say(web, "pt-18 2", fields_of(second))
    fields = fields_of(again)
    assert [fields["quantity-0"], fields["sku-1"], fields["quantity-1"]] == ["2", "PT-18", "3"]
    assert "€84.50" in shown(again, "dl")
    assert "3 of PT-18 are wanted and 2 are free." in again.text
    dropped = post(web, "/orders/new/judge", drop="1", **TO, **fields)
    assert "quantity-1" not in fields_of(dropped)


def test_words_that_mean_several_products_ask_which_one(desk, web):
    asked = say(web, "pot")
    assert "Which one?" in asked.text
    assert "quantity-0" not in fields_of(asked)
    assert "No product is called “nonsense”." in say(web, "nonsense").text


def test_an_order_is_entered_and_what_is_warned_of_needs_a_reason(desk, web):
    fields = fields_of(say(web, "5 PT-18"))
    refused = post(web, "/orders/new", **TO, **fields)
    assert refused.status_code == 422
    assert "Give a reason" in refused.text
    fields["because-more-than-free"] = "they can wait"
    saved = post(web, "/orders/new", **TO, **fields)
    assert "Order O-1001 is taken." in saved.text
    assert "Saved in spite of more-than-free: they can wait" in shown(saved)
    assert one(desk, "O-1001").customer == "Ada Fennimore"


@pytest.mark.parametrize(
    ("field", "value"),
    [("quantity-0", "some"), ("price-0", "dear"), ("discount", "x"), ("promised", "soon")],
)
def test_what_cannot_be_read_is_refused_and_never_taken_as_empty(desk, web, field, value):
    fields = {**fields_of(say(web, "PT-14")), field: value}
    answer = post(web, "/orders/new", **TO, **fields)
    assert answer.status_code == 422
    assert orders(desk) == []


def test_an_order_is_copied_into_the_form(desk, web, owner):
    number = take(desk, owner, ("PT-14", 3))
    fields = fields_of(web.get(f"/orders/new?copy={number}"))
    assert (fields["sku-0"], fields["quantity-0"], fields["name"]) == (
        "PT-14",
        "3",
        "Ada Fennimore",
    )


def test_an_estimate_is_accepted_by_the_customer_and_becomes_an_order(desk, web, client_outside):
    fields = {**fields_of(say(web, "2 PT-14")), "kind": "estimate", "last_day": "2026-11-20"}
    made = post(web, "/orders/new", **TO, **fields)
    assert "Estimate E-1001 is made." in made.text
    assert "E-1001" in shown(web.get("/orders/estimates"), "tbody")
    page = html.fromstring(made.text)
    (link,) = page.cssselect("input[readonly]")
    path = "/e/" + link.get("value").rpartition("/e/")[2]
    offered = client_outside.get(path)
    assert "You can accept it until" in shown(offered)
    assert "margin" not in offered.text.lower()
    assert offered.headers["referrer-policy"] == "no-referrer"
    assert "You have accepted it." in shown(client_outside.post(path))
    assert "You have accepted it." in shown(client_outside.post(path))
    assert [row.number for row in orders(desk)] == ["O-1001"]
    assert client_outside.get("/e/nonsense").status_code == 404


def test_an_order_has_a_page_for_the_customer(desk, web, owner, client_outside):
    change_firm(desk, owner, FIRM)
    number = take(desk, owner, ("PT-14", 1))
    post(web, "/orders/do/invoice", pick=number, back="/orders")
    page = html.fromstring(post(web, f"/orders/{number}/customer-link").text)
    (link,) = page.cssselect("input[readonly]")
    path = "/o/" + link.get("value").rpartition("/o/")[2]
    seen = client_outside.get(path)
    assert "We have your order." in shown(seen)
    assert "I-1001" in shown(seen)
    assert client_outside.get(f"{path}/I-1001.pdf").content.startswith(b"%PDF")
    assert client_outside.get(f"{path}/I-9.pdf").status_code == 404
    post(web, "/orders/trays/inbox", name="Inbox", hue="lake", remind_days="0", words="")
    assert "We have your order." not in shown(client_outside.get(path))
    assert client_outside.get("/o/nonsense").status_code == 404


def test_customers_are_created_changed_merged_and_forgotten(desk, web):
    created = post(web, "/orders/customers", name="Tea Rooms", mail="tea@example.com")
    assert "Customer K-1001 is created." in created.text
    wrong = post(web, "/orders/customers", name="Eve", mail="tea@example.com")
    assert wrong.status_code == 422
    assert "belongs to Tea Rooms" in wrong.text
    post(web, "/orders/customers", name="Tea Rooms", mail="rooms@example.com")
    assert "Perhaps the same person" in web.get("/orders/customers/K-1001").text
    merged = post(web, "/orders/customers/K-1001/merge", other="K-1002")
    assert "Merged; 0 orders came along." in merged.text
    changed = post(web, "/orders/customers/K-1001", name="Tea House", price_list="retail")
    assert "The customer is saved." in changed.text
    priced = post(web, "/orders/customers/K-1001/price", sku="PT-14", price="9.50", with_tax="yes")
    assert "€9.50 with tax" in shown(priced)
    assert post(web, "/orders/customers/K-1001/price", sku="X", price="1").status_code in (404, 422)
    assert "Tea House" in shown(web.get("/orders/customers?q=tea"), "tbody")
    gone = post(web, "/orders/customers/K-1001/forget")
    assert "the books stay" in gone.text
    assert "Tea House" not in web.get("/orders/customers").text


def test_one_of_several_addresses_of_a_customer_is_chosen(desk, owner, web):
    fields = fields_of(say(web, "PT-14"))
    other = {**TO, "street": "3 Tanners Yard", "town": "Easterby"}
    post(web, "/orders/new", **TO, **fields)
    post(web, "/orders/new", **other, **fields)
    known = web.get("/orders/new/addresses", params={"customer": TO["mail"]})
    buttons = html.fromstring(known.text).cssselect("button")
    assert ["Easterby" in button.text_content() for button in buttons] == [True, False]
    filled = web.get(buttons[0].get("hx-get"))
    assert fields_of(filled)["street"] == "3 Tanners Yard"
    assert web.get("/orders/new/addresses", params={"customer": "nobody"}).text.strip() == ""
    assert web.get(buttons[0].get("hx-get").replace("address=", "address=9")).status_code == 404


def test_a_new_order_of_a_customer_begins_with_the_address_that_is_known(desk, web):
    post(web, "/orders/new", **TO, **fields_of(say(web, "PT-14")))
    page = html.fromstring(web.get("/orders/new", params={"customer": "K-1001"}).text)
    assert page.cssselect("#f-street")[0].get("value") == TO["street"]
    offered = page.cssselect("#known-addresses button, button[hx-get*='customer=']")
    assert ["customer=K-1001&" in one.get("hx-get") for one in offered] == [True]
