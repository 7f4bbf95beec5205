"""Lines are changed and returns expected, received by scanner and refunded on pages, and over HTTP."""

import pytest

from relvan.store.orders import order_by_number
from tests.house import add_pot, assert_sound
from tests.services.orders.test_returns import send
from tests.steps.orders import take
from tests.visitor import page, post, shown, words, wrong_beside


@pytest.fixture
def sent(web, workplace, owner):
    """Builds an order of three pots that was sent."""
    add_pot(workplace, owner, "PT-14", units=6, gtin="2000000000015")
    number = take(workplace, owner, ("PT-14", 3))
    send(workplace, owner, number)
    return number


def test_the_units_of_a_line_are_changed_on_the_page_of_the_order(web, workplace, owner):
    add_pot(workplace, owner, "PT-14", units=6)
    number = take(workplace, owner, ("PT-14", 3), paid=False)
    answer = post(web, f"/orders/{number}/lines/change", line="1", quantity="1")
    assert "The line is changed." in words(answer)
    assert "2 taken off" in shown(page(web.get(f"/orders/{number}")))
    assert post(web, f"/orders/{number}/lines/change", line="1", quantity="").status_code == 422
    assert post(web, f"/orders/{number}/lines/change", line="9", quantity="1").status_code == 404
    post(web, f"/orders/{number}/lines/change", line="1", quantity="0")
    with workplace.database.reading() as session:
        assert order_by_number(session, number).cancelled_at is not None


def test_a_return_goes_from_the_order_to_the_scanner_to_the_money(web, workplace, sent):
    expected = post(web, f"/orders/{sent}/returns", **{"back-1": "2", "reason": "Broken"})
    assert "R-1001 is expected." in words(expected)
    here = "/orders/returns/R-1001"
    unknown = post(web, f"{here}/receive", code="SE-1", units="1", to="stock", warehouse="millrace")
    assert unknown.status_code == 422
    assert "is not expected back" in wrong_beside(unknown, "code")
    scanned = {"code": "2000000000015", "units": "1", "warehouse": "millrace"}
    post(web, f"{here}/receive", **scanned, to="blocked")
    post(web, f"{here}/receive", **{**scanned, "code": "pt-14"}, to="stock")
    told = shown(page(web.get(here)))
    assert "What came was sold for €33.80" in told
    too_much = post(web, f"{here}/refund", amount="40.00")
    assert "at most what the goods came to" in wrong_beside(too_much, "amount")
    done = post(web, f"{here}/refund", amount="20.00", method="transfer")
    assert "€20.00 given back" in words(done)
    assert "R-1001" in words(web.get("/orders/returns?state=refunded"))
    assert "None." in words(web.get("/orders/returns?state=expected"))
    assert "refunded" in shown(page(web.get(f"/orders/{sent}")))
    assert_sound(workplace)


def test_a_return_that_does_not_come_is_cancelled(web, sent):
    post(web, f"/orders/{sent}/returns", **{"back-1": "1", "reason": "Broken"})
    assert "R-1001 is cancelled." in words(post(web, "/orders/returns/R-1001/cancel"))
    nothing = post(web, f"/orders/{sent}/returns", **{"back-1": "", "reason": "Broken"})
    assert nothing.status_code == 422


def test_the_same_over_http(api, workplace, owner):
    add_pot(workplace, owner, "PT-14", units=6)
    number = take(workplace, owner, ("PT-14", 3))
    base = "/api/v1"
    taken = api.post(f"{base}/orders/{number}/lines/1/cancel", json={"quantity": 1}).json()
    assert [(line["quantity"], line["taken_off"]) for line in taken["lines"]] == [(2, 1)]
    refused = api.post(f"{base}/orders/{number}/lines/1/cancel", json={"quantity": 5})
    assert (refused.status_code, refused.json()["code"]) == (422, "out-of-range")
    api.patch(f"{base}/orders/{number}/lines/1", json={"quantity": 3})
    send(workplace, owner, number)
    wish = {"order": number, "lines": [{"line": 1, "quantity": 2}], "reason": "Broken"}
    made = api.post(f"{base}/returns", json=wish)
    assert (made.status_code, made.json()["state"]) == (201, "expected")
    here = f"{base}/returns/{made.json()['id']}"
    lines = [{"line": 1, "quantity": 2, "to": "blocked"}]
    got = api.post(f"{here}/receive", json={"warehouse": "millrace", "lines": lines}).json()
    assert (got["state"], got["worth"]["amount"]) == ("received", 3380)
    wrong = api.post(f"{here}/refund", json={"amount": {"amount": 10, "currency": "CHF"}})
    assert wrong.json()["code"] == "not-allowed"
    done = api.post(f"{here}/refund", json={"amount": {"amount": 1000, "currency": "EUR"}}).json()
    assert (done["state"], done["refunded"]["amount"]) == ("refunded", 1000)
    assert api.get(f"{base}/returns/{made.json()['number']}").json() == done
    assert [item["number"] for item in api.get(f"{base}/returns").json()["items"]] == ["R-1001"]
    assert api.get(f"{base}/returns/R-9").status_code == 404
    assert_sound(workplace)
