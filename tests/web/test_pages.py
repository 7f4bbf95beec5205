"""Pages: who may see them, what they refuse and keep, how many queries they need, that nothing can
be smuggled in."""

import pytest
from lxml import html

from relvan.web.desk import COOKIE
from tests.applications import client_of
from tests.house import add_pot, assert_sound, orders, png
from tests.visitor import post, sign_in, wrong_beside

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


def test_signing_in_leads_where_one_wanted_to_go_on_this_site_only(workplace):
    client = client_of(workplace)
    for wanted, leads in (
        ("/orders?tray=inbox", "/orders?tray=inbox"),
        ("//evil.example", "/"),
        ("https://evil.example", "/"),
        ("/\\evil.example", "/"),
    ):
        fields = {"login": "owner", "password": "a good password", "next": wanted}
        assert (
            client.post("/sign-in", data=fields, follow_redirects=False).headers["location"]
            == leads
        )


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
    assert (
        client.post("/sign-in/demo", data={"login": "owner"}, follow_redirects=False).headers[
            "location"
        ]
        == "/"
    )


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


def test_another_persons_session_ends_when_they_sign_out(workplace, web):
    stolen = client_of(workplace)
    stolen.cookies.set(COOKIE, web.cookies[COOKIE])
    assert stolen.get("/", follow_redirects=False).status_code == 200
    post(web, "/sign-out")
    assert stolen.get("/", follow_redirects=False).status_code == 303


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


def kept_in(field):
    """What a field of a form holds after a refusal."""
    if field.tag == "select":
        chosen = [
            option for option in field.cssselect("option") if option.get("selected") is not None
        ]
        return (chosen or field.cssselect("option"))[0].get("value")
    return field.text if field.tag == "textarea" else field.get("value")


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
def test_a_form_with_a_fault_is_refused_beside_the_field_and_keeps_what_was_typed(
    web, change, field, part
):
    typed = {
        "sku": "NEW-1",
        "title": "A <b>pot</b> & more",
        "description": "<script>alert(1)</script>",
        **change,
    }
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
        assert kept_in(places[0]) == value, name
    assert "<script>alert" not in answer.text
    assert "NEW-1" not in web.get("/catalogue").text


def test_a_product_is_made_with_its_picture_and_shown_escaped(web):
    fields = {"csrf": web.csrf, "sku": "NEW-1", "title": "<script>alert(1)</script>"}
    answer = web.post(
        "/catalogue/new", data=fields, files={"picture": ("pot.png", png(), "image/png")}
    )
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
        post(
            web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="same-form"
        )
    assert (
        "5 on hand"
        in post(
            web, "/stock/PT-14", warehouse="millrace", reason="receipt", units="5", key="same-form"
        ).text
    )
    assert_sound(workplace)


def test_settings_with_a_fault_are_refused_and_kept(shop, web):
    answer = post(web, "/setup/channels/hagglet/shown", share="150", hold_back="1")
    assert answer.status_code == 422
    assert "between 0 and 100" in wrong_beside(answer, "share")
    assert html.fromstring(answer.text).cssselect("[name=share]")[0].get("value") == "150"
    answer = post(
        web,
        "/setup/channels/hagglet/prices",
        step_kind="percent",
        step_value="lots",
        step_direction="up",
        price_list="retail",
    )
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
        web,
        form.get("action"),
        **{e.get("name"): e.get("value") for e in form.cssselect("input[name=pick]")},
    )
    assert "Release undone: 1" in undone.text
    assert orders(shop)[0].tray == "inbox"
