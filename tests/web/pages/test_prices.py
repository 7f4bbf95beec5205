"""Tests the pages of prices: losses first, sale prices, and every price that was sent."""

import csv
import io

import pytest
from lxml import html

from tests.applications import client_of
from tests.house import add_pot, connect, deliver, list_everywhere
from tests.snapshots import built_once
from tests.steps.channel_pages import words
from tests.visitor import post, sign_in


@built_once
def shop(workplace, owner, world):
    """Builds a pot of 16.90 that costs 5.00, and one of 16.90 that costs 15.00."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    add_pot(workplace, owner, "PT-18", cost=1500)
    list_everywhere(workplace, owner, "PT-14", "PT-18")
    return workplace


@pytest.fixture
def web(shop):
    return sign_in(client_of(shop))


def test_what_sells_at_a_loss_comes_first(web):
    told = words(web.get("/prices"))
    assert (
        told.index("Look here first")
        < told.index("PT-18 Pot PT-18 Hagglet live")
        < told.index("€5.00")
    )
    assert "% nothing: it has no floor" in told
    loss = words(web.get("/prices?left=loss"))
    assert ("PT-18" in loss, "PT-14" in loss) == (True, False)
    assert "No product is like that." in words(web.get("/prices?floor=below"))


def test_what_a_channel_still_shows_below_a_new_floor_is_found(shop, web, world):
    world.weather("hagglet", "down")
    post(web, "/prices", sku="PT-14", list="retail", amount="16.90", floor="18", q="")
    told = words(web.get("/prices?floor=below"))
    assert "PT-14" in told
    assert "the channel shows €16.90 , below the floor of €18.00" in words(web.get("/prices"))
    assert "2 listings are shown below their floors" in words(web.get("/"))
    assert "No product is like that." in words(web.get("/prices?floor=sold"))


def test_a_sale_price_is_planned_and_ended_by_hand(shop, web, world):
    wish = {
        "sku": "PT-14\nPT-18",
        "price_list": "retail",
        "amount": "12.90",
        "since": "",
        "until": "2027-01-01T00:00",
    }
    assert "2 sale prices are planned." in words(post(web, "/prices/sales", **wish))
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["price"] == 1290
    assert "€16.90" in words(web.get("/prices?sale=yes"))
    refused = post(web, "/prices/sales", **{**wish, "sku": "NOPE"})
    assert (refused.status_code, "NOPE: There is no product" in words(refused)) == (422, True)
    for wrong in ({"until": ""}, {"until": "soon"}, {"amount": ""}, {"sku": ""}):
        assert post(web, "/prices/sales", **{**wish, **wrong}).status_code == 422
    told = words(post(web, "/prices/sales/1/end"))
    assert (
        told.index("PT-18 Pot PT-18 retail")
        < told.index("Over")
        < told.index("PT-14 Pot PT-14 €12.90")
    )
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["price"] == 1690


def test_the_history_tells_a_sale_price_as_money_with_its_window(shop, web):
    wish = {"sku": "PT-14", "price_list": "retail", "amount": "12.90", "since": ""}
    post(web, "/prices/sales", **wish, until="2027-07-01T00:00")
    window = (
        "from 02/11/2026, 09:00 until 01/07/2027, 00:00"  # by the seller's clock, in summer too
    )
    assert f"Sale price retail: nothing → €12.90 {window}" in words(web.get("/products/PT-14"))
    post(web, "/prices/sales/1/end")
    assert f"€12.90 {window} → nothing" in words(web.get("/products/PT-14"))


def test_every_price_sent_is_there_as_a_chart_and_as_a_file(shop, web):
    post(web, "/prices", sku="PT-14", list="retail", amount="18.90", q="")
    deliver(shop)
    page = web.get("/prices/history?q=PT-14")
    (chart,) = html.fromstring(page.text).cssselect("svg[role=img]")
    assert chart.get("aria-label") == "Prices of PT-14 by channel"
    assert "product changed by Owner" in words(page)
    assert "type its whole SKU" in words(web.get("/prices/history?q=pot"))
    rows = list(
        csv.DictReader(
            io.StringIO(
                web.get("/prices/history.csv?q=PT-14&channel=hagglet").text.lstrip("\ufeff")
            )
        )
    )
    assert [(row["sku"], row["channel"], row["price"], row["cause"]) for row in rows] == [
        ("PT-14", "hagglet", "18.90", "product changed by Owner"),
        ("PT-14", "hagglet", "16.90", "published"),
    ]
