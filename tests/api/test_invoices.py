"""Tests invoices, payments and the journal over the API."""

import csv
import io

import pytest
from lxml import etree

from tests.steps.books import FIRM
from tests.steps.en16931 import faults_of
from tests.steps.orders import take


@pytest.fixture
def books(desk, api):
    assert api.patch("/api/v1/firm", json=FIRM).status_code == 200
    return desk


def invoiced(api, *numbers, **more):
    answer = api.post("/api/v1/orders/invoice", json={"numbers": numbers, **more})
    return [item["message"] for item in answer.json()["items"]]


def test_an_order_is_invoiced_found_and_fetched_in_every_form(books, api, owner):
    number = take(books, owner, ("PT-14", 3))
    assert invoiced(api, number) == ["I-1001"]
    shown = api.get("/api/v1/invoices/I-1001").json()
    assert (shown["order"], shown["totals"]["payable"]["amount"]) == (number, 5070)
    assert (shown["lines"][0]["sku"], shown["lines"][0]["quantity"]) == ("PT-14", 3)
    assert faults_of(api.get("/api/v1/invoices/I-1001.xml").content) == []
    assert api.get("/api/v1/invoices/I-1001.pdf").content.startswith(b"%PDF")
    found = api.get("/api/v1/invoices", params={"q": number, "owed": "false"}).json()["items"]
    assert [row["number"] for row in found] == ["I-1001"]
    assert api.get("/api/v1/invoices", params={"kind": "credit"}).json()["items"] == []
    assert api.get(f"/api/v1/orders/{number}").json()["invoices"] == ["I-1001"]
    assert api.get("/api/v1/invoices/I-9").status_code == 404


def test_some_lines_are_invoiced_and_given_back(books, api, owner):
    number = take(books, owner, ("PT-14", 3))
    line = api.get(f"/api/v1/orders/{number}").json()["lines"][0]["id"]
    assert invoiced(api, number, lines=[{"line": line, "quantity": 2}]) == ["I-1001"]
    wish = {"reason": "One was broken", "lines": [{"position": 1, "quantity": 1}]}
    made = api.post("/api/v1/invoices/I-1001/credit", json=wish)
    assert (made.status_code, made.json()["corrects"]) == (201, "I-1001")
    assert api.get("/api/v1/invoices/I-1001").json()["credit_notes"] == ["C-1001"]
    tree = etree.fromstring(api.get("/api/v1/invoices/C-1001.xml").content)
    assert etree.QName(tree).localname == "CreditNote"
    too_much = api.post(
        "/api/v1/invoices/I-1001/credit", json={**wish, "lines": [{"position": 1, "quantity": 2}]}
    )
    assert (too_much.status_code, too_much.json()["code"]) == (422, "out-of-range")


def test_payments_are_noted_released_void_and_listed(books, api, owner):
    number = take(books, owner, ("PT-14", 1), paid=False)

    def pay(amount, **more):
        body = {"order": number, "amount": {"amount": amount, "currency": "EUR"}, **more}
        return api.post("/api/v1/payments", json=body)

    assert pay(690, key="bank-1").status_code == 201
    assert pay(690, key="bank-1").json()["id"] == pay(690, key="bank-1").json()["id"]
    waiting = pay(1000, state="provisional", method="card").json()["id"]
    gone = pay(5, state="provisional").json()["id"]
    listed = api.get("/api/v1/payments", params={"waiting": "true"}).json()["items"]
    assert [row["id"] for row in listed] == [gone, waiting]
    assert api.post(f"/api/v1/payments/{gone}/void").status_code == 204
    answer = api.post("/api/v1/payments/release", json={"ids": [waiting, gone, 999]}).json()
    assert [item["code"] for item in answer["items"]] == ["", "void", "not-found"]
    order = api.get(f"/api/v1/orders/{number}").json()
    assert (order["progress"]["paid"], order["owed"]["amount"]) == ("all", 0)
    listed = api.get("/api/v1/payments", params={"order": number}).json()["items"]
    assert [row["state"] for row in listed] == ["void", "released", "firm"]
    assert pay(10, state="maybe").status_code == 422
    wrong = {"order": number, "amount": {"amount": 1, "currency": "CHF"}}
    assert api.post("/api/v1/payments", json=wrong).json()["code"] == "currency"


def test_the_journal_has_invoices_by_rate_credit_notes_and_payments(books, api, owner):
    number = take(books, owner, ("PT-14", 3))
    invoiced(api, number)
    api.post(
        "/api/v1/invoices/I-1001/credit",
        json={"reason": "Broken", "lines": [{"position": 1, "quantity": 1}]},
    )
    refund = {"order": number, "amount": {"amount": -1690, "currency": "EUR"}}
    api.post("/api/v1/payments", json=refund)
    days = {"from": "2026-11-02", "to": "2026-11-02"}
    text = api.get("/api/v1/journal.csv", params=days).content.decode("utf-8-sig")
    rows = list(csv.DictReader(io.StringIO(text)))
    told = [(row["kind"], row["number"], row["net"], row["tax"], row["amount"]) for row in rows]
    assert told[0] == ("invoice", "I-1001", "42.25", "8.45", "50.70")
    assert [kind for kind, *_ in told] == ["invoice", "credit", "payment", "refund"]
    assert told[1][-1] == "-16.90"
    assert told[3][-1] == "-16.90"
    late = {"from": "2026-11-03", "to": "2026-11-04"}
    assert api.get("/api/v1/journal.csv", params=late).content.count(b"\r\n") == 1
    backwards = {"from": "2026-11-04", "to": "2026-11-03"}
    assert api.get("/api/v1/journal.csv", params=backwards).status_code == 422


def test_what_was_shipped_and_is_not_invoiced_is_found_and_invoiced_at_once(books, api, owner):
    numbers = [take(books, owner, ("PT-14", 1)) for _ in range(3)]
    found = api.get("/api/v1/orders", params={"invoiced": "none,part"}).json()["items"]
    assert {row["number"] for row in found} == set(numbers)
    assert sorted(invoiced(api, *numbers)) == ["I-1001", "I-1002", "I-1003"]
    assert api.get("/api/v1/orders", params={"invoiced": "none,part"}).json()["items"] == []
    told = api.post("/api/v1/orders/foresee/invoice", json={"numbers": numbers}).json()["items"]
    assert {item["outcome"] for item in told} == {"already"}
