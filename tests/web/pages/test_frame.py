"""Tests what frames every page: views, signing in, the command box."""

from lxml import html

from relvan.core.catalogue.bulk import Operation
from relvan.services.catalogue.bulk import change_many
from relvan.services.listings.draft import draft_listings
from relvan.web.desk import COOKIE
from tests.applications import client_of
from tests.house import add_pot, work
from tests.visitor import post, shown, wrong_beside


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


def test_the_command_box_finds_stations_products_and_orders(released, boss):
    found = boss.get("/find?q=pt-14").text
    assert "/products/PT-14" in found
    assert "/orders/O-1001" in boss.get("/find?q=O-1001").text
    assert "/dispatch" in boss.get("/find?q=disp").text
    assert "Nothing is called" in boss.get("/find?q=zzzz").text


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


def test_another_persons_session_ends_when_they_sign_out(workplace, web):
    stolen = client_of(workplace)
    stolen.cookies.set(COOKIE, web.cookies[COOKIE])
    assert stolen.get("/", follow_redirects=False).status_code == 200
    post(web, "/sign-out")
    assert stolen.get("/", follow_redirects=False).status_code == 303


def test_the_rehearsal_of_other_prices_says_what_the_channels_would_show(shop, web, owner):
    add_pot(shop, owner, "PT-B", cost=1300)
    add_pot(shop, owner, "PT-C", floor=1650)
    for channel in ("hagglet", "ownshop"):
        draft_listings(shop, owner, channel, ["PT-B", "PT-C"])
    job = change_many(
        shop, owner, [Operation("price retail", "percent", "-20")], skus=["PT-B", "PT-C"]
    )
    work(shop)
    told = shown(html.fromstring(web.get(f"/jobs/{job}").text))
    assert "Prices that the channels would show" in told
    assert "turns into a loss" in told
    assert "held by its floor" in told
