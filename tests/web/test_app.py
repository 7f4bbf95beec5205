"""Tests all pages together: who may see them, that nothing can be smuggled in, how many queries
they need, and how trouble is told."""

import re

import pytest
from fastapi.routing import APIRoute
from lxml import html

from relvan.core.refusal import DatabaseAway
from relvan.services.catalogue.save import create_product
from relvan.services.orders.take import take_manual_order
from relvan.store.tables import ListPrice, PriceList
from relvan.web.app import PAGES as PAGE_MODULES
from tests.applications import client_of
from tests.house import (
    add_pot,
    connect,
    everything_done,
    list_everywhere,
    pot,
)
from tests.steps.orders import ADA, IncomingLine
from tests.visitor import post, sign_in

PAGES = [
    "/",
    "/catalogue",
    "/catalogue/new",
    "/products/PT-14",
    "/listings",
    "/listings/1",
    "/stock",
    "/stock/PT-14",
    "/prices",
    "/orders",
    "/orders/O-1001",
    "/dispatch",
    "/consignments",
    "/setup",
    "/setup/channels/hagglet",
    "/updates",
    "/updates/drift",
    "/stockroom/ledger",
    "/stockroom/bins",
    "/stockroom/coming",
    "/stockroom/count",
    "/stockroom/outlook",
    "/jobs",
    "/jobs/1",
    "/patterns",
    "/find?q=pot",
    "/progress",
    "/why/free?sku=PT-14",
    "/why/price/1",
    "/why/quantity/1",
    "/why/state/1",
    "/families/new",
    "/imports",
    "/categories",
    "/prices/lists",
    "/catalogue/history",
    "/catalogue/take-out",
    "/catalogue/take-out?kind=kits",
    "/catalogue/new?kind=kit",
    "/prices/sales",
    "/prices/history",
    "/prices/lists/margin?sku=PT-14&key=retail",
    "/products/PT-14/at?at=2026-11-02T09:30",
    "/imports/templates/kits.csv",
    "/imports/templates/products.xlsx",
]


def test_every_page_answers_and_carries_a_strict_policy(shop, web):
    for path in PAGES:
        answer = web.get(path)
        assert answer.status_code == 200, (path, answer.text[:500])
        policy = answer.headers["content-security-policy"]
        assert "script-src 'self'" in policy
        assert "unsafe" not in policy
        page = html.fromstring(answer.text)
        assert not page.cssselect("[style], script:not([src])"), path
        assert not [e for e in page.iter() for name in e.keys() if name.startswith("on")], path  # noqa: SIM118


def test_nobody_sees_a_page_without_signing_in(workplace):
    client = client_of(workplace)
    for path in PAGES:
        answer = client.get(path, follow_redirects=False)
        assert answer.status_code == 303, path
        assert answer.headers["location"].startswith("/sign-in?next="), path


@pytest.mark.parametrize("token", ["", "wrong"])
def test_a_form_without_the_token_of_its_visit_changes_nothing(web, token):
    answer = web.post("/catalogue/new", data={"csrf": token, "sku": "A", "title": "B"})
    assert answer.status_code == 403
    assert "another sign-in" in answer.text
    assert "A" not in [
        row.text_content()
        for row in html.fromstring(web.get("/catalogue").text).cssselect("td.sku")
    ]


def test_the_token_of_another_persons_visit_does_not_count(workplace, web):
    other = sign_in(client_of(workplace), "lister")
    assert post(web, "/catalogue/new", csrf=other.csrf, sku="A", title="B").status_code == 403


def test_deeds_that_a_role_may_not_do_are_not_offered(shop):
    picker = sign_in(client_of(shop), "picker")
    for path, deed in (
        ("/orders", "Release"),
        ("/catalogue", "New product"),
        ("/listings", "Publish"),
    ):
        page = picker.get(path).text
        assert f">{deed}</" not in page
        assert "Your role may look here, not change." in page


def test_a_person_without_the_right_is_told_so(workplace):
    picker = sign_in(client_of(workplace), "picker")
    answer = post(picker, "/catalogue/new", sku="A", title="B")
    assert answer.status_code == 422  # as a refusal of the form, which keeps what was typed
    assert "may not change catalogue" in answer.text


OPEN = {
    "/sign-in",
    "/sign-in/demo",
    "/sign-in/code",
    "/first-visit",
    "/invitations/{token}",
    "/e/{secret}",
}  # nobody has a secret yet


FORMS = sorted(
    {
        route.path
        for module in PAGE_MODULES
        for route in module.router.routes
        if isinstance(route, APIRoute) and "POST" in route.methods
    }
    - OPEN
)


def test_no_form_is_taken_without_its_secret_or_without_a_sign_in(web, workplace, pots):
    assert len(FORMS) > 80
    stranger, before = client_of(workplace), everything_done(workplace)
    taken = {}
    for path in FORMS:
        address = re.sub(r"\{\w+(:\w+)?\}", "1", path)
        for secret in ({}, {"csrf": ""}, {"csrf": "x" * 43}):
            answer = web.post(address, data={"pick": "PT-INK", **secret})
            if answer.status_code != 403:
                taken[path, str(secret)] = answer.status_code
        answer = stranger.post(address, data={"csrf": web.csrf}, follow_redirects=False)
        if (answer.status_code, answer.headers.get("location", "").partition("?")[0]) != (
            303,
            "/sign-in",
        ):
            taken[path, "signed out"] = answer.status_code
    assert taken == {}
    assert everything_done(workplace) == before


def test_addresses_that_lead_nowhere_say_so(web):
    for path in (
        "/products/NONE",
        "/orders/O-9",
        "/listings/99",
        "/dispatch/shipments/9",
        "/nothing",
        "/jobs/9",
    ):
        answer = web.get(path)
        assert answer.status_code == 404
        assert "Not found" in html.fromstring(answer.text).cssselect("h1")[0].text


def test_numbers_beyond_all_bounds_are_refused_and_not_a_bug(web):
    for path in (
        "/listings/99999999999999999999",
        "/jobs/99999999999999999999",
        "/orders?after=99999999999999999999",
    ):
        assert web.get(path).status_code == 422


def test_a_body_beyond_all_bounds_is_not_taken(web):
    files = {"picture": ("pot.png", b"x" * 70_000_000, "image/png")}
    assert web.post("/catalogue/new", data={"csrf": web.csrf}, files=files).status_code == 413


def test_a_bug_is_told_with_a_reference(web, monkeypatch):
    def broken(*_args, **_more):
        raise RuntimeError("secret inside")

    monkeypatch.setattr("relvan.web.pages.orders.order_page", broken)
    answer = web.get("/orders")
    assert answer.status_code == 500
    assert re.search(r"Reference [0-9a-f]{8}", answer.text)
    assert "secret" not in answer.text


def test_pages_need_as_many_queries_for_fifty_rows_as_for_one(
    workplace, owner, web, world, count_queries
):
    connect(workplace, owner, world)
    counted = {}
    for wanted in (1, 50):
        skus = [add_pot(workplace, owner, f"PX-{wanted}-{n:02d}", units=3) for n in range(wanted)]
        list_everywhere(workplace, owner, *skus)
        for sku in skus:
            take_manual_order(
                workplace, owner, (IncomingLine("", sku, sku, 1, 1690),), ADA, paid=True
            )
        for path in ("/catalogue", "/listings", "/orders", "/stock", "/prices"):
            with count_queries(workplace.database) as seen:
                assert web.get(path).status_code == 200
            counted.setdefault(path, []).append(
                len([s for s in seen if not s.startswith(("BEGIN", "PRAGMA"))])
            )
    for path, (one, fifty) in counted.items():
        assert fifty <= one + 1, path  # only what does not fit on one page is counted by a query
        assert fifty <= 14, (path, fifty)


def test_while_the_database_is_away_it_is_said_and_nobody_is_blamed(web, workplace, monkeypatch):
    assert web.get("/readyz").json() == {"ok": True}

    def away():
        raise DatabaseAway

    monkeypatch.setattr(workplace.database, "reading", away)
    for path in ("/catalogue", "/sign-in", "/api/v1/products", "/readyz"):
        answer = web.get(path, headers={"Authorization": "Bearer x"})
        assert (answer.status_code, "The database cannot be reached just now." in answer.text) == (
            503,
            True,
        ), path
    assert web.get("/healthz").json() == {"ok": True}


@pytest.mark.parametrize(
    ("path", "fields"),
    [
        ("/listings/do/publish", {"pick": ["1", "²"]}),
        ("/dispatch/do/dispatch", {"pick": ["one"]}),
        ("/listings/layers/use", {"pick": ["1"], "set": "²"}),
        ("/stockroom/coming/end", {"id": ""}),
    ],
)
def test_an_id_that_cannot_be_read_is_refused(shop, web, path, fields):
    assert post(web, path, **fields).status_code == 422


def test_an_address_with_an_unreadable_id_is_a_page_all_the_same(shop, web):
    for path in (
        "/?toast=²",
        "/listings?layer=²",
        "/listings?family=99",
        "/catalogue?drafts=²",
        "/stock?lacks=x.y",
    ):
        assert web.get(path).status_code == 200, path


def test_the_pages_stand_while_there_is_no_price_list(workplace, owner, web):
    with workplace.database.writing() as session:
        session.query(ListPrice).delete()
        session.query(PriceList).delete()
    create_product(workplace, owner, pot("PT-14", prices={}))
    page = web.get("/prices")
    assert page.status_code == 200
    assert "There is no price list yet" in page.text
    for path in (
        "/prices/lists",
        "/products/PT-14",
        "/prices/sales",
        "/prices/rates",
        "/catalogue/new",
        "/catalogue",
    ):
        assert web.get(path).status_code == 200, path
