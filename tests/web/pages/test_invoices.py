"""Tests the pages of invoices and payments."""

import pytest
from lxml import html

from relvan.services.setup.firm import change_firm
from tests.house import orders
from tests.steps.books import FIRM
from tests.steps.orders import one, take
from tests.visitor import post


def shown(answer, selector="body"):
    page = html.fromstring(answer.text)
    return " ".join(" ".join(part.text_content() for part in page.cssselect(selector)).split())


@pytest.fixture
def books(desk, owner):
    change_firm(desk, owner, FIRM)
    return desk


def test_all_that_match_are_invoiced_in_two_clicks(books, web, owner):
    for _ in range(3):
        take(books, owner, ("PT-14", 1))
    foreseen = post(web, "/orders/foresee/invoice", all="yes", query="invoiced=open")
    assert "3 would be invoiced" in foreseen.text
    done = post(web, "/orders/do/invoice", all="yes", query="invoiced=open", back="/orders")
    assert "Invoiced: 3." in done.text
    assert len(orders(books, invoiced="all")) == 3
    again = post(web, "/orders/foresee/invoice", all="yes", query="")
    assert "3 stay: invoiced already" in again.text


def test_an_invoice_is_listed_shown_printed_and_corrected(books, web, owner):
    number = take(books, owner, ("PT-14", 3))
    assert "Invoices lie here" in web.get("/orders/invoices").text
    post(web, "/orders/do/invoice", pick=number, back="/orders")
    row = shown(web.get("/orders/invoices"), "tbody tr")
    assert "I-1001" in row
    assert "€50.70" in row
    page = web.get("/orders/invoices/I-1001")
    assert "Net at 20 %" in shown(page)
    assert web.get("/orders/invoices/I-1001.pdf").content.startswith(b"%PDF")
    assert b"Invoice-2" in web.get("/orders/invoices/I-1001.xml").content
    unread = post(web, "/orders/invoices/I-1001/credit", reason="x", **{"units-1": "some"})
    assert unread.status_code == 422
    credited = post(web, "/orders/invoices/I-1001/credit", reason="Broken", **{"units-1": "1"})
    assert "Credit note C-1001 is issued." in credited.text
    assert "Corrected by C-1001" in shown(web.get("/orders/invoices/I-1001"))
    assert "€-16.90" in shown(
        web.get("/orders/invoices?kind=credit"), "tbody"
    ) or "-€16.90" in shown(web.get("/orders/invoices?kind=credit"), "tbody")


def test_what_is_owed_and_since_when_stands_on_the_order(books, web, owner):
    number = take(books, owner, ("PT-14", 2), paid=False)
    post(web, "/orders/do/invoice", pick=number, back="/orders")
    told = shown(web.get(f"/orders/{number}"), "#money")
    assert "Still owed €33.80 since Mon 16 Nov" in told
    assert "I-1001" in shown(web.get("/orders/invoices?owed=owed"), "tbody")
    back = f"/orders/{number}"
    paid = post(web, "/orders/payments", order=number, amount="33.80", method="cash", back=back)
    assert "The payment is noted." in paid.text
    assert one(books, number).words.endswith("invoiced, paid")
    assert "No invoice is like that" in web.get("/orders/invoices?owed=owed").text


def test_a_provisional_payment_waits_on_its_page_until_it_is_released(books, web, owner):
    number = take(books, owner, ("PT-14", 1), paid=False)
    fields = {"order": number, "amount": "16.90", "method": "card", "provisional": "yes"}
    post(web, "/orders/payments", **fields)
    post(web, "/orders/payments", **fields)
    page = html.fromstring(web.get("/orders/payments?waiting=yes").text)
    ids = [box.get("value") for box in page.cssselect("input[name=pick]")]
    assert len(ids) == 2
    assert "void" in post(web, f"/orders/payments/{ids[0]}/void").text
    assert "Released: 1." in post(web, "/orders/payments/release", pick=ids[1]).text
    assert one(books, number).words.endswith(", paid")


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"order": "O-9", "amount": "5"}, "There is no order"),
        ({"order": "O-1001", "amount": ""}, "must not be empty"),
        ({"order": "O-1001", "amount": "five"}, "five"),
        ({"order": "O-1001", "amount": "5", "refund": "yes"}, "More cannot be refunded"),
    ],
)
def test_a_payment_that_cannot_be_read_is_refused_and_stays_typed(books, web, owner, fields, words):
    take(books, owner, ("PT-14", 1), paid=False)
    answer = post(web, "/orders/payments", method="cash", **fields)
    assert answer.status_code in (404, 422)
    assert words in answer.text


def test_the_journal_is_a_file(books, web, owner):
    take(books, owner, ("PT-14", 1))
    answer = web.get("/orders/journal.csv?since=2026-11-01&until=2026-11-30")
    assert answer.headers["content-type"].startswith("text/csv")
    assert b"payment" in answer.content
