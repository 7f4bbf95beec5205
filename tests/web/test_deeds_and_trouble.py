"""Pages: what a deed would do, what is undone, and how trouble is told."""

import re

import pytest
from lxml import html

from relvan.core.refusal import DatabaseAway
from relvan.services.orders.take import take_manual_order
from relvan.web.sentence import Chip, Choice, ListKind, read_sentence
from tests.house import add_pot, assert_sound, connect, list_everywhere, orders
from tests.steps.orders import ADA, IncomingLine
from tests.visitor import post, shown


def test_what_a_deed_would_do_is_shown_before_it_is_done(shop, web):
    answer = web.post(
        "/listings/foresee/take-down", data={"pick": ["1", "2"]}, headers={"X-CSRF-Token": web.csrf}
    )
    assert "2 would be taken down" in answer.text
    answer = web.post(
        "/orders/foresee/release", data={"pick": ["O-1001"]}, headers={"X-CSRF-Token": web.csrf}
    )
    assert "1 would go to the warehouse" in answer.text
    assert orders(shop)[0].tray == "inbox"


@pytest.mark.parametrize(
    ("path", "picks", "words"),
    [
        ("/orders/foresee/release", ["O-1001"], "1 would go to the warehouse"),
        ("/orders/foresee/reserve", ["O-1001"], "1 stay: reserved already"),
        ("/orders/foresee/unreserve", ["O-1001"], "1 would give their stock back"),
        ("/orders/foresee/cancel", ["O-1001"], "1 would be cancelled, for good"),
        ("/catalogue/foresee/archive", ["PT-14"], "stays: listed on Hagglet, Own shop"),
        ("/catalogue/foresee/draft", ["PT-14"], "on Hagglet: 0 new, 1 there already"),
        ("/listings/foresee/publish", ["1"], "1 have nothing to send"),
        ("/listings/foresee/put-back", ["1"], "1 are not down"),
    ],
)
def test_each_deed_foresees_what_it_would_do(shop, web, path, picks, words):
    answer = web.post(path, data={"pick": picks}, headers={"X-CSRF-Token": web.csrf})
    assert words in " ".join(html.fromstring(answer.text).text_content().split())
    assert (orders(shop)[0].tray, orders(shop)[0].words) == ("inbox", "1 of 1 to pick, paid")


def undo(client, answer):
    form = html.fromstring(answer.text).cssselect(".toast-note form")[0]
    fields = {field.get("name"): field.get("value") for field in form.cssselect("input")}
    return client.post(form.get("action"), data=fields)


def test_a_movement_a_price_and_a_move_can_be_undone(shop, owner, web):
    answer = post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="a")
    assert "Taken back: 10 of PT-14 on hand" in undo(web, answer).text
    assert "Taken back: 10 of PT-14 on hand" in undo(web, answer).text
    answer = post(web, "/prices", sku="PT-14", list="retail", amount="30", q="")
    assert "PT-14 has a new list price." in answer.text
    undo(web, answer)
    assert (
        html.fromstring(web.get("/prices").text).cssselect("[name=amount]")[0].get("value")
        == "16.90"
    )
    undo(web, post(web, "/orders/do/move", pick="O-1001", tray="closed", back="/orders"))
    assert orders(shop)[0].tray == "inbox"
    assert_sound(shop)


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


def test_a_view_is_kept_with_its_sentence_and_dropped(web):
    answer = post(web, "/views/orders", path="/orders", query="tray=inbox", name="Mine")
    (tab,) = html.fromstring(answer.text).cssselect(".views a")
    assert (tab.get("href"), tab.text_content().split()) == ("/orders?tray=inbox", ["Mine", "0"])
    assert (
        "at most"
        not in post(web, "/views/orders", path="/orders", query="tray=short", name="").text
    )
    answer = post(web, "/views/drop/1", path="/orders")
    assert not html.fromstring(answer.text).cssselect(".views a")


def test_columns_are_remembered(workplace, owner, web):
    add_pot(workplace, owner, "PT-14")
    answer = post(web, "/columns/catalogue", path="/catalogue", column=["title", "gtin"])
    heads = [th.text_content().strip() for th in html.fromstring(answer.text).cssselect("th")]
    assert heads[3:] == ["Title", "GTIN"]


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


def test_history_says_amounts_as_money_and_settings_in_words(shop, web):
    post(web, "/prices", sku="PT-14", list="retail", amount="20", q="")
    assert "€16.90 → €20.00" in shown(html.fromstring(web.get("/products/PT-14").text))
    post(web, "/setup/channels/hagglet/shown", share="50", hold_back="1")
    assert (
        "hold back 1, share 50"
        in html.fromstring(web.get("/setup/channels/hagglet").text).text_content()
    )


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
        assert one == fifty, path
        assert fifty <= 14, (path, fifty)


CHIPS = (
    Chip("tray", "Tray", (Choice("inbox", "in the inbox"), Choice("short", "short"))),
    Chip("paid", "Paid", (Choice("yes", "paid"),)),
)


def test_a_sentence_is_its_address():
    sentence = read_sentence(
        ListKind("Orders", "/orders"),
        CHIPS,
        {"tray": "inbox", "paid": "never", "q": " Ada ", "x": "y"},
    )
    assert [(chip.key, words) for chip, words in sentence.parts] == [("tray", "in the inbox")]
    assert [chip.key for chip in sentence.open_chips] == ["paid"]
    assert sentence.query == "tray=inbox&q=Ada"
    assert sentence.url("tray", "") == "/orders?q=Ada"
    assert sentence.url("paid", "yes") == "/orders?tray=inbox&paid=yes&q=Ada"


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
