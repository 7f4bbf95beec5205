"""Pages: who may see them, what they refuse and keep, how many queries they need, that nothing can be smuggled in."""

import re

import pytest
from lxml import html

from relvan.core.refusal import DatabaseAway
from relvan.services.orders.take import take_manual_order
from relvan.web.desk import COOKIE
from relvan.web.sentence import Chip, Choice, read_sentence
from tests.applications import client_of
from tests.house import add_pot, assert_sound, connect, list_everywhere, orders, png
from tests.services.test_orders import ADA, IncomingLine
from tests.visitor import post, sign_in, wrong_beside

PAGES = ["/", "/catalogue", "/catalogue/new", "/products/PT-14", "/listings", "/listings/1", "/stock", "/stock/PT-14",
         "/prices", "/orders", "/orders/O-1001", "/dispatch", "/consignments", "/setup", "/setup/channels/hagglet",
         "/updates", "/updates/drift", "/stockroom/ledger", "/stockroom/bins", "/stockroom/coming", "/stockroom/count",
         "/stockroom/outlook",
         "/jobs", "/jobs/1", "/patterns", "/find?q=pot", "/progress", "/why/free?sku=PT-14", "/why/price/1",
         "/why/quantity/1", "/why/state/1", "/families/new", "/imports", "/categories", "/prices/lists",
         "/catalogue/history", "/catalogue/take-out", "/catalogue/take-out?kind=kits", "/catalogue/new?kind=kit",
         "/prices/sales", "/prices/history", "/prices/lists/margin?sku=PT-14&key=retail",
         "/products/PT-14/at?at=2026-11-02T09:30",
         "/imports/templates/kits.csv", "/imports/templates/products.xlsx"]  # fmt: skip


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


def test_signing_in_leads_where_one_wanted_to_go_on_this_site_only(workplace):
    client = client_of(workplace)
    for wanted, leads in (("/orders?tray=inbox", "/orders?tray=inbox"), ("//evil.example", "/"),
                          ("https://evil.example", "/"), ("/\\evil.example", "/")):  # fmt: skip
        fields = {"login": "owner", "password": "a good password", "next": wanted}
        assert client.post("/sign-in", data=fields, follow_redirects=False).headers["location"] == leads


def test_a_wrong_password_is_refused_and_the_name_is_kept(workplace):
    answer = client_of(workplace).post("/sign-in", data={"login": "owner", "password": "x"})
    assert answer.status_code == 422
    assert "do not go together" in wrong_beside(answer, "password")
    assert html.fromstring(answer.text).cssselect("input[name=login]")[0].get("value") == "owner"


def test_the_cookie_cannot_be_read_by_scripts_or_sent_from_elsewhere(workplace):
    answer = client_of(workplace).post(
        "/sign-in", data={"login": "owner", "password": "a good password"}, follow_redirects=False
    )
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=lax" in cookie


def test_the_demo_people_are_offered_in_the_demo_only(workplace):
    client = client_of(workplace)
    assert "Or be one of" not in client.get("/sign-in").text
    assert client.post("/sign-in/demo", data={"login": "owner"}).status_code == 404
    workplace.settings.demo = True
    client = client_of(workplace)
    assert "Or be one of" in client.get("/sign-in").text
    assert client.post("/sign-in/demo", data={"login": "owner"}, follow_redirects=False).headers["location"] == "/"


@pytest.mark.parametrize("token", ["", "wrong"])
def test_a_form_without_the_token_of_its_visit_changes_nothing(web, token):
    answer = web.post("/catalogue/new", data={"csrf": token, "sku": "A", "title": "B"})
    assert answer.status_code == 403
    assert "another sign-in" in answer.text
    assert "A" not in [row.text_content() for row in html.fromstring(web.get("/catalogue").text).cssselect("td.sku")]


def test_the_token_of_another_persons_visit_does_not_count(workplace, web):
    other = sign_in(client_of(workplace), "lister")
    assert post(web, "/catalogue/new", csrf=other.csrf, sku="A", title="B").status_code == 403


def test_another_persons_session_ends_when_they_sign_out(workplace, web):
    stolen = client_of(workplace)
    stolen.cookies.set(COOKIE, web.cookies[COOKIE])
    assert stolen.get("/", follow_redirects=False).status_code == 200
    post(web, "/sign-out")
    assert stolen.get("/", follow_redirects=False).status_code == 303


def test_deeds_that_a_role_may_not_do_are_not_offered(shop):
    picker = sign_in(client_of(shop), "picker")
    for path, deed in (("/orders", "Release"), ("/catalogue", "New product"), ("/listings", "Publish")):
        page = picker.get(path).text
        assert f">{deed}</" not in page
        assert "Your role may look here, not change." in page


def test_a_person_without_the_right_is_told_so(workplace):
    picker = sign_in(client_of(workplace), "picker")
    answer = post(picker, "/catalogue/new", sku="A", title="B")
    assert answer.status_code in (403, 422)
    assert "may not change catalogue" in answer.text


@pytest.mark.parametrize(
    ("change", "field", "part"),
    [
        ({"sku": ""}, "sku", "must not be empty"),
        ({"sku": "x" * 65}, "sku", "at most 64"),
        ({"title": ""}, "title", "must not be empty"),
        ({"title": "x" * 300}, "title", "at most 200"),
        ({"gtin": "4006381333932"}, "gtin", "The check digit would be 1"),
        ({"weight_g": "-4"}, "weight_g", "it got -4"),
        ({"weight_g": "heavy"}, "weight_g", "must be a whole number"),
        ({"cost": "-1"}, "cost", "must be an amount"),
        ({"cost": "1.234"}, None, None),
        ({"price_retail": "free"}, "price_retail", "must be an amount"),
        ({"length_mm": "5"}, "size", "all three sides"),
        ({"aliases": "A, a"}, "aliases", "is there twice"),
        ({"kind": "rocket"}, "kind", "There is no kind"),
    ],
)
def test_a_form_with_a_fault_is_refused_beside_the_field_and_keeps_what_was_typed(web, change, field, part):
    typed = {"sku": "NEW-1", "title": "A <b>pot</b> & more", "description": "<script>alert(1)</script>", **change}
    answer = post(web, "/catalogue/new", **typed)
    if field is None:  # "1.234" is one thousand two hundred and thirty-four
        assert answer.status_code == 200
        return
    assert answer.status_code == 422
    assert part in wrong_beside(answer, field)
    page = html.fromstring(answer.text)
    for name, value in typed.items():
        places = page.cssselect(f"[name={name}]")
        if places[0].get("type") == "hidden":
            continue  # chosen by a link, never typed
        kept = places[0].text if places[0].tag == "textarea" else places[0].get("value")
        assert kept == value or places[0].tag == "select"
    assert "<script>alert" not in answer.text
    assert "NEW-1" not in web.get("/catalogue").text


def test_a_product_is_made_with_its_picture_and_shown_escaped(web):
    fields = {"csrf": web.csrf, "sku": "NEW-1", "title": "<script>alert(1)</script>"}
    answer = web.post("/catalogue/new", data=fields, files={"picture": ("pot.png", png(), "image/png")})
    assert answer.status_code == 200
    page = html.fromstring(answer.text)
    assert page.cssselect("h1")[0].text_content() == "<script>alert(1)</script>"
    picture = page.cssselect(".pictures img")[0].get("src")
    assert web.get(picture).headers["content-type"] == "image/webp"
    assert "NEW-1 is in the catalogue." in page.cssselect(".toast-note")[0].text_content()


@pytest.mark.parametrize("content", [b"text called .png", png() + b"\0" * 29_000_000])
def test_a_picture_that_is_none_is_refused_beside_its_field(web, content):
    post(web, "/catalogue/new", sku="NEW-1", title="Pot")
    files = {"picture": ("pot.png", content, "image/png")}
    answer = web.post("/products/NEW-1/pictures", data={"csrf": web.csrf}, files=files)
    assert answer.status_code == 422
    assert "“Picture” must" in wrong_beside(answer, "picture")


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
        post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="same-form")
    assert (
        "5 on hand"
        in post(web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="same-form").text
    )
    assert_sound(workplace)


def test_settings_with_a_fault_are_refused_and_kept(shop, web):
    answer = post(web, "/setup/channels/hagglet/shown", share="150", hold_back="1")
    assert answer.status_code == 422
    assert "between 0 and 100" in wrong_beside(answer, "share")
    assert html.fromstring(answer.text).cssselect("[name=share]")[0].get("value") == "150"
    answer = post(web, "/setup/channels/hagglet/prices", step_kind="percent", step_value="lots", step_direction="up",
                  price_list="retail")  # fmt: skip
    assert answer.status_code == 422
    answer = post(web, "/setup/channels", rulebook="hagglet", address="nonsense", token="x")
    assert "must be an http or https address" in wrong_beside(answer, "address")


def test_deeds_on_many_tell_what_was_done_and_offer_undo(shop, web):
    answer = post(web, "/orders/do/release", pick=["O-1001", "O-7777"], back="/orders")
    page = html.fromstring(answer.text)
    toast = page.cssselect(".toast-note")[0]
    assert "Released: 1 of 2. There is no order “O-7777”." in toast.text_content()
    form = toast.cssselect("form")[0]
    assert form.get("action") == "/orders/do/take-back"
    undone = post(
        web, form.get("action"), **{e.get("name"): e.get("value") for e in form.cssselect("input[name=pick]")}
    )
    assert "Release taken back: 1" in undone.text
    assert orders(shop)[0].tray == "inbox"


def test_what_a_deed_would_do_is_shown_before_it_is_done(shop, web):
    answer = web.post("/listings/foresee/take-down", data={"pick": ["1", "2"]}, headers={"X-CSRF-Token": web.csrf})
    assert "2 would be taken down" in answer.text
    answer = web.post("/orders/foresee/release", data={"pick": ["O-1001"]}, headers={"X-CSRF-Token": web.csrf})
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
    assert html.fromstring(web.get("/prices").text).cssselect("[name=amount]")[0].get("value") == "16.90"
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
    assert {row.text_content() for row in rows} == {"PT-14"}
    assert "No product is like that" in web.get("/prices?floor=held").text


def test_a_view_is_kept_with_its_sentence_and_dropped(web):
    answer = post(web, "/views/orders", path="/orders", query="tray=inbox", name="Mine")
    (tab,) = html.fromstring(answer.text).cssselect(".views a")
    assert (tab.get("href"), tab.text_content().split()) == ("/orders?tray=inbox", ["Mine", "0"])
    assert "at most" not in post(web, "/views/orders", path="/orders", query="tray=short", name="").text
    answer = post(web, "/views/drop/1", path="/orders")
    assert not html.fromstring(answer.text).cssselect(".views a")


def test_columns_are_remembered(workplace, owner, web):
    add_pot(workplace, owner, "PT-14")
    answer = post(web, "/columns/catalogue", path="/catalogue", column=["title", "gtin"])
    heads = [th.text_content().strip() for th in html.fromstring(answer.text).cssselect("th")]
    assert heads[3:] == ["Title", "GTIN"]


def test_addresses_that_lead_nowhere_say_so(web):
    for path in ("/products/NONE", "/orders/O-9", "/listings/99", "/dispatch/shipments/9", "/nothing", "/jobs/9"):
        answer = web.get(path)
        assert answer.status_code == 404
        assert "Not found" in html.fromstring(answer.text).cssselect("h1")[0].text


def test_numbers_beyond_all_bounds_are_refused_and_not_a_bug(web):
    for path in ("/listings/99999999999999999999", "/jobs/99999999999999999999", "/orders?after=99999999999999999999"):
        assert web.get(path).status_code == 422


def test_a_body_beyond_all_bounds_is_not_taken(web):
    files = {"picture": ("pot.png", b"x" * 70_000_000, "image/png")}
    assert web.post("/catalogue/new", data={"csrf": web.csrf}, files=files).status_code == 413


def test_history_says_amounts_as_money_and_settings_in_words(shop, web):
    post(web, "/prices", sku="PT-14", list="retail", amount="20", q="")
    assert "€16.90 → €20.00" in html.fromstring(web.get("/products/PT-14").text).text_content()
    post(web, "/setup/channels/hagglet/shown", share="50", hold_back="1")
    assert "hold back 1, share 50" in html.fromstring(web.get("/setup/channels/hagglet").text).text_content()


def test_a_bug_is_told_with_a_reference(web, monkeypatch):
    def broken(*_args, **_more):
        raise RuntimeError("secret inside")

    monkeypatch.setattr("relvan.web.pages.orders.order_page", broken)
    answer = web.get("/orders")
    assert answer.status_code == 500
    assert re.search(r"Reference [0-9a-f]{8}", answer.text)
    assert "secret" not in answer.text


def test_pages_need_as_many_queries_for_fifty_rows_as_for_one(workplace, owner, web, world, count_queries):
    connect(workplace, owner, world)
    counted = {}
    for wanted in (1, 50):
        skus = [add_pot(workplace, owner, f"PX-{wanted}-{n:02d}", units=3) for n in range(wanted)]
        list_everywhere(workplace, owner, *skus)
        for sku in skus:
            take_manual_order(workplace, owner, (IncomingLine("", sku, sku, 1, 1690),), ADA, paid=True)
        for path in ("/catalogue", "/listings", "/orders", "/stock", "/prices"):
            with count_queries(workplace.database) as seen:
                assert web.get(path).status_code == 200
            counted.setdefault(path, []).append(len([s for s in seen if not s.startswith(("BEGIN", "PRAGMA"))]))
    for path, (one, fifty) in counted.items():
        assert one == fifty, path
        assert fifty <= 14, (path, fifty)


CHIPS = (Chip("tray", "Tray", (Choice("inbox", "in the inbox"), Choice("short", "short"))),
         Chip("paid", "Paid", (Choice("yes", "paid"),)))  # fmt: skip


def test_a_sentence_is_its_address():
    sentence = read_sentence("Orders", "/orders", CHIPS, {"tray": "inbox", "paid": "never", "q": " Ada ", "x": "y"})
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
        assert (answer.status_code, "The database cannot be reached just now." in answer.text) == (503, True), path
    assert web.get("/healthz").json() == {"ok": True}
