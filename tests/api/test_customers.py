"""Tests customers, orders by hand and estimates over the API."""

import pytest

TO = {
    "name": "Ada Fennimore",
    "street": "12 Larkspur Row",
    "town": "Tarnhollow",
    "postcode": "4821 AB",
    "country": "NL",
    "mail": "ada@example.com",
}


def order(api, *lines, **more):
    body = {"lines": list(lines), "ship_to": TO, **more}
    return api.post("/api/v1/orders", json=body)


def euros(amount):
    return {"amount": amount, "currency": "EUR"}


def test_an_order_by_hand_has_its_customer_prices_and_warnings(desk, api):
    made = order(api, {"sku": "PT-14", "quantity": 2}, {"sku": "PT-18", "quantity": 9})
    told = made.json()
    assert made.status_code == 201
    assert (told["customer"]["number"], told["prices"]) == ("K-1001", "with tax")
    assert [(one["code"], one["line"]) for one in told["warnings"]] == [("more-than-free", 2)]
    assert told["lines"][0]["price_why"][0]["label"] == "Retail"
    strict = order(api, {"sku": "PT-18", "quantity": 9}, strict=True)
    assert (strict.status_code, strict.json()["code"]) == (422, "warning")
    reasons = [{"code": "more-than-free", "reason": "they can wait"}]
    assert order(api, {"sku": "PT-18", "quantity": 9}, strict=True, override=reasons).json()[
        "overridden"
    ] == {"more-than-free": "they can wait"}


def test_prices_discounts_and_free_lines_are_told_with_their_currency(desk, api):
    told = order(
        api,
        {"sku": "PT-14", "quantity": 2, "unit_price": euros(1000), "discount": euros(100)},
        {"title": "Workshop", "quantity": 1, "unit_price": euros(5000)},
        prices="without tax",
        discount=euros(690),
        delivery=euros(490),
        reference="R 7",
        promised="2026-12-24",
    ).json()
    assert told["totals"]["total"]["amount"] == 8040
    assert (told["reference"], told["promised"]) == ("R 7", "2026-12-24")
    wrong = {"sku": "PT-14", "quantity": 1, "unit_price": {"amount": 1, "currency": "CHF"}}
    assert order(api, wrong).json()["code"] == "currency"


def test_an_estimate_is_made_accepted_and_becomes_one_order(desk, api):
    line = {"sku": "PT-14", "quantity": 2}
    assert order(api, line, kind="estimate").json()["code"] == "missing"
    made = order(api, line, kind="estimate", last_day="2026-11-20").json()
    assert (made["number"], made["state"], made["order"]) == ("E-1001", "open", None)
    accepted = api.post("/api/v1/orders/E-1001/accept").json()
    assert accepted["state"] == "accepted"
    assert api.post("/api/v1/orders/E-1001/accept").json()["order"] == accepted["order"]
    assert (
        api.get(f"/api/v1/orders/{accepted['order']}").json()["totals"]["total"]["amount"] == 3380
    )
    listed = api.get("/api/v1/estimates", params={"state": "accepted"}).json()["items"]
    assert [row["number"] for row in listed] == ["E-1001"]
    order(api, line, kind="estimate", last_day="2026-11-20")
    assert api.post("/api/v1/estimates/E-1002/cancel").json()["state"] == "cancelled"
    assert api.post("/api/v1/orders/E-1002/accept").json()["code"] == "cancelled"
    assert api.post("/api/v1/orders/E-9/accept").status_code == 404


def test_an_estimate_whose_last_day_is_over_needs_its_prices_confirmed(desk, api, clock):
    order(api, {"sku": "PT-14", "quantity": 1}, kind="estimate", last_day="2026-11-03")
    clock.move(days=5)
    assert api.get("/api/v1/estimates/E-1001").json()["state"] == "expired"
    assert api.post("/api/v1/orders/E-1001/accept").json()["code"] == "expired"
    late = api.post("/api/v1/orders/E-1001/accept", json={"prices_confirmed": True})
    assert late.json()["order"] == "O-1001"


def test_a_customer_is_created_changed_given_prices_and_forgotten(desk, api):
    made = api.post(
        "/api/v1/customers",
        json={
            "name": "Tea Rooms",
            "mail": "tea@example.com",
            "phone": "01 679 1234",
            "bill_to": {**TO, "country": "IE"},
        },
    )
    number = made.json()["customer"]
    assert (made.status_code, made.json()["phone"]) == (201, "+35316791234")
    path = f"/api/v1/customers/{number}"
    changed = api.patch(path, json={"price_list": "retail", "notes": "pays late"}).json()
    assert (changed["price_list"], changed["notes"]) == ("retail", "pays late")
    priced = api.put(f"{path}/prices", json={"sku": "PT-14", "price": euros(1500)}).json()
    assert priced["prices"] == [{"sku": "PT-14", "price": euros(1500), "with_tax": True}]
    told = order(api, {"sku": "PT-14", "quantity": 2}, customer=number).json()
    assert told["totals"]["total"]["amount"] == 3000
    assert api.put(f"{path}/prices", json={"sku": "PT-14"}).json()["prices"] == []
    assert api.post(f"{path}/addresses", json=TO).json()["addresses"] == [{**TO, "phone": ""}]
    wrong = api.post(f"{path}/addresses", json={**TO, "postcode": "nonsense"})
    assert (wrong.status_code, wrong.json()["code"]) == (422, "address")
    assert api.post(f"{path}/forget").json()["code"] == "in-use"
    api.post("/api/v1/orders/cancel", json={"numbers": [told["number"]]})
    assert api.post(f"{path}/forget").json() == {"orders": 1}
    assert api.get(path).json()["forgotten"] is True


def test_customers_are_listed_by_name_page_by_page_and_merged(desk, api):
    for name in ("Bea", "Ada", "Cleo"):
        api.post("/api/v1/customers", json={"name": name})
    first = api.get("/api/v1/customers", params={"limit": 2}).json()
    assert [row["name"] for row in first["items"]] == ["Ada", "Bea"]
    rest = api.get("/api/v1/customers", params={"limit": 2, "after": first["next"]}).json()
    assert ([row["name"] for row in rest["items"]], rest["next"]) == (["Cleo"], None)
    assert api.get("/api/v1/customers", params={"q": "cl"}).json()["items"][0]["name"] == "Cleo"
    merged = api.post("/api/v1/customers/K-1001/merge", json={"other": "K-1003"}).json()
    assert merged["customer"] == "K-1001"
    assert api.get("/api/v1/customers/K-1003").json()["customer"] == "K-1001"


@pytest.mark.parametrize(
    ("line", "code"),
    [
        ({"sku": "NOBODY", "quantity": 1}, "not-found"),
        ({"sku": "PT-14", "quantity": 0}, "out-of-range"),
        ({"title": "Work", "quantity": 1}, "no-price"),
        ({"quantity": 1}, "missing"),
    ],
)
def test_a_line_that_cannot_be_is_refused(desk, api, line, code):
    answer = order(api, line)
    assert answer.status_code in (404, 422)
    assert answer.json()["code"] == code
