"""Tests goods in as a form, and labels to print."""

from datetime import date

from lxml import html

from relvan.services.setup.bins import add_bins
from relvan.services.stock.coming import ExpectReceipt, expect_receipt
from tests.visitor import post

PATH = "/dispatch/goods-in"


def hand_of(answer):
    page = html.fromstring(answer.text)
    names = ("warehouse", "sku", "units", "key", "back")
    return {name: page.cssselect(f"form.phone [name={name}]")[0].get("value") for name in names}


def test_goods_come_in_by_scanning(shop, owner, web):
    add_bins(shop, owner, "millrace", ["Q-01"])
    expect_receipt(shop, owner, ExpectReceipt("PT-14", "millrace", 5, date(2026, 12, 1)))
    first = web.get(PATH, params={"warehouse": "millrace"})
    assert "PT-14" in first.text
    hand = {"warehouse": "millrace"}
    answer = post(web, PATH, code="PT-14", **hand)
    assert "4 of 5 are still to come after these." in answer.text
    refused = post(web, PATH, code="NOWHERE", **hand_of(answer))
    assert refused.status_code == 422
    assert "is no bin of Millrace" in refused.text
    assert hand_of(refused) == hand_of(answer), "what is in the hand stays there"
    counted = post(web, PATH, code="3", **hand_of(answer))
    done = post(web, PATH, code="Q-01", **hand_of(counted))
    assert "3 of PT-14 lie in Q-01." in done.text
    assert "Nothing more comes" in done.text
    receipt = html.fromstring(done.text).cssselect("[name=receipt]")[0].get("value")
    ended = post(web, f"{PATH}/end", receipt=receipt, warehouse="millrace")
    assert "Nothing is expected here." in ended.text
    assert post(web, PATH, code="PT-14", to="moon", **hand).status_code == 404


def test_labels_are_printed_for_bins_and_units(shop, owner, web):
    add_bins(shop, owner, "millrace", ["Q-01", "Q-02"])
    path = "/stockroom/bin-labels.pdf"
    for asked in (
        {"warehouse": "millrace"},
        {"warehouse": "millrace", "bin": "Q-01", "arrow": "up", "paper": "A4"},
    ):
        assert web.get(path, params=asked).content.startswith(b"%PDF")
    for wrong in ({"bin": "Z-99"}, {"arrow": "left"}, {"paper": "A0"}):
        assert web.get(path, params={"warehouse": "millrace", **wrong}).status_code == 404
    label = web.get("/products/PT-14/labels.pdf", params={"count": 2})
    assert label.content.startswith(b"%PDF")
    assert "/products/PT-14/labels.pdf" in web.get("/products/PT-14").text
