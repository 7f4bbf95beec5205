"""The page of tax."""

from tests.visitor import post, words

BASE = "/setup/tax"
RATE = {"country": "IE", "code": "standard", "percent": "23 %", "since": "2026-01-01"}


def test_rates_by_page(web):
    assert "None yet" in words(web.get(BASE))
    assert "Where you are registered" in words(web.get(BASE))
    said = words(post(web, BASE, **RATE, origin="the Revenue"))
    assert "Ireland standard 23 % 2026-01-01 the Revenue" in said
    wrong = post(web, BASE, **{**RATE, "percent": "lots"})
    assert wrong.status_code == 422
    assert "it got “lots”" in words(wrong)
    assert 'value="lots"' in wrong.text  # what was typed is kept
    gone = {"country": "IE", "code": "standard", "since": "2026-01-01"}
    assert "None yet" in words(post(web, f"{BASE}/gone", **gone))


def test_the_union_and_where_the_seller_is_registered(web):
    said = words(post(web, f"{BASE}/union"))
    assert "rates of 27 countries are set" in said
    assert "Sweden standard 25 %" in said
    refused = post(web, f"{BASE}/registered", registered="DE")
    assert "not described yet" in words(refused)
    firm = {"name": "Q", "currency": "EUR", "locale": "en_IE", "time_zone": "Europe/Dublin"}
    post(web, "/setup/firm", **firm, address_country="IE")
    said = words(post(web, f"{BASE}/registered", registered="de, FR"))
    assert "At home in Ireland: standard 23 %" in said
    assert post(web, f"{BASE}/registered", registered="Atlantis").status_code == 422
