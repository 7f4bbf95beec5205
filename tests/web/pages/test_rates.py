"""Tests rates by hand and by file, and the settings of a channel that use them."""

import pytest

from relvan.store.channels import channel_by_key
from relvan.store.prices import rate_rows
from tests.house import connect
from tests.steps.listing_pages import find, text_of
from tests.visitor import post, shown


def kept(workplace):
    with workplace.database.reading() as session:
        return [(rate.source, rate.target, f"{rate.rate:f}") for _, rate in rate_rows(session)]


@pytest.fixture
def rate():
    return {"source": "EUR", "target": "CHF", "rate": "0,95", "since": "2026-11-01"}


def test_a_rate_is_kept_shown_and_taken_away(web, workplace, rate):
    assert "No rate is kept yet" in text_of(web.get("/prices/rates"))
    assert "worked out again" in text_of(post(web, "/prices/rates", **rate))
    post(web, "/prices/rates", **{**rate, "rate": "0.9", "since": "2026-11-02"})
    rows = find(web.get("/prices/rates"), "tbody tr")
    assert [[shown(cell) for cell in row.cssselect("td")[:5]] for row in rows] == [
        ["EUR", "CHF", "0.9 CHF", "2026-11-02", "today"],
        ["EUR", "CHF", "0.95 CHF", "2026-11-01", "no more"],
    ]
    post(web, rows[0].cssselect("form")[0].get("action"))
    assert kept(workplace) == [("EUR", "CHF", "0.95")]


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"rate": "x"}, "must be a number"),
        ({"rate": "0"}, "must be between"),
        ({"target": "EUR"}, "into itself"),
        ({"since": "soon"}, "must be a day"),
        ({"since": "2099-01-01"}, "from today or an earlier day"),
    ],
)
def test_a_wrong_rate_is_said_beside_what_was_typed(web, workplace, rate, wrong, words):
    page = post(web, "/prices/rates", **{**rate, **wrong})
    assert page.status_code == 422
    assert words in text_of(page)
    assert find(page, "input[name=rate]")[0].get("value") == {**rate, **wrong}["rate"]
    assert kept(workplace) == []


def test_rates_come_in_by_file(web, workplace):
    def send(content):
        return web.post(
            "/prices/rates/file", data={"csrf": web.csrf}, files={"file": ("rates.csv", content)}
        )

    assert "2 rates are new" in text_of(send(b"from;to;rate\neur;chf;0,95\neur;usd;1,1\n"))
    assert send(b"from,to,rate\nEUR,CHF,1\nEUR,EUR,1\n").status_code == 422
    assert send(b"").status_code == 422
    assert send(b"x" * 300_000).status_code == 422
    assert sorted(kept(workplace)) == [("EUR", "CHF", "0.95"), ("EUR", "USD", "1.1")]


def test_a_channel_covers_fees_and_keeps_a_margin(web, workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    steps = {
        "step_kind": ["cover fees", "ending", "", "convert"],
        "step_value": ["", "99", "", ""],
        "step_direction": ["nearest", "up", "nearest", "nearest"],
        "price_list": "retail",
    }
    steps["step_kind"][3] = ""
    post(web, "/setup/channels/hagglet/prices", **steps, least_margin="12,5", delivery_cost="3,80")
    with workplace.database.reading() as session:
        channel = channel_by_key(session, "hagglet")
        assert [step["kind"] for step in channel.price_steps] == ["cover fees", "ending"]
        assert (channel.least_margin, channel.delivery_cost) == ("12.5", 380)
    page = web.get("/setup/channels/hagglet")
    assert find(page, "input[name=least_margin]")[0].get("value") == "12.5"
    assert find(page, "input[name=delivery_cost]")[0].get("value") == "3.80"
    tried = post(
        web, "/setup/channels/hagglet/prices/try", **steps, least_margin="", delivery_cost=""
    )
    assert "None of 0 prices would be another" in text_of(tried)
    tried = post(
        web, "/setup/channels/hagglet/prices/try", price_list="retail", least_margin="much"
    )
    assert "must be a percentage" in text_of(tried)
    refused = post(web, "/setup/channels/hagglet/prices", price_list="retail", least_margin="much")
    assert (refused.status_code, "must be a percentage" in text_of(refused)) == (422, True)
    steps |= {"step_kind": ["convert"], "step_value": ["chf"], "step_direction": ["nearest"]}
    refused = post(web, "/setup/channels/hagglet/prices", **steps)
    assert "the steps lead to CHF" in text_of(refused)
