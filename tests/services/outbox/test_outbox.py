"""Telling channels: the newest wins, urgent first, nothing twice, nothing lost, whatever the
weather."""

import pytest
from sqlalchemy import select

from relvan.core.refusal import Refused
from relvan.services.channels.settings import change_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings, put_back_listings, take_down_listings
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.services.prices.set import set_floor, set_list_price
from relvan.store.channels import channel_by_key, channel_health
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from relvan.store.tables import Channel, OutboxEntry
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    count,
    deliver,
    list_everywhere,
    orders,
    persist,
    read,
    receive,
)
from tests.steps.outbox import listing

KINDS = ["slow", "flaky", "throttled", "lost answers"]


@pytest.fixture
def shop(one_pot):
    return one_pot


def entries(workplace, **wanted):
    statement = select(OutboxEntry).order_by(OutboxEntry.id)
    for name, value in wanted.items():
        statement = statement.where(getattr(OutboxEntry, name) == value)
    with workplace.database.reading() as session:
        return list(session.scalars(statement))


def test_a_change_and_what_it_tells_are_saved_together_and_wake_the_worker(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    shop.woken.clear()
    receive(shop, owner, "PT-14", 5)
    waiting = entries(shop, state="waiting")
    assert {(entry.channel_id, entry.topic) for entry in waiting} == {
        (1, "quantity"),
        (2, "quantity"),
    }
    assert set(shop.woken) == {("deliver", 1), ("deliver", 2)}


def test_a_refused_change_tells_nothing(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    with pytest.raises(Refused):
        count(shop, owner, "PT-14", -1)
    assert entries(shop, state="waiting") == []


def test_many_changes_before_sending_are_told_once_and_the_newest_wins(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    for units in (3, 9, 4):
        count(shop, owner, "PT-14", units)
    assert len(entries(shop, state="waiting")) == 2
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 4
    assert_sound(shop)


def test_a_change_undone_before_sending_still_ends_right(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    count(shop, owner, "PT-14", 3)
    count(shop, owner, "PT-14", 10)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 10
    assert_sound(shop)


def test_what_changes_while_an_update_is_on_its_way_is_sent_after_it(
    shop, owner, world, monkeypatch
):
    list_everywhere(shop, owner, "PT-14")
    with shop.database.reading() as session:
        gateway = shop.gateway(channel_by_key(session, "hagglet"))
    send = gateway.set_quantities

    def busy(rows):
        if rows[0][1] == 3:
            count(shop, owner, "PT-14", 2)
        return send(rows)

    monkeypatch.setattr(gateway, "set_quantities", busy)
    count(shop, owner, "PT-14", 3)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 2
    assert_sound(shop)


def test_quantities_that_fall_go_before_prices_and_those_that_rise_after(shop, owner, world):
    add_pot(shop, owner, "PT-18")
    add_pot(shop, owner, "PT-24")
    list_everywhere(shop, owner, "PT-14", "PT-18", "PT-24")
    receive(shop, owner, "PT-14", 5)
    set_list_price(shop, owner, "PT-14", "retail", 2000)
    count(shop, owner, "PT-18", 5)
    count(shop, owner, "PT-24", 0)
    order = sorted(
        entries(shop, state="waiting", channel_id=1), key=lambda e: (e.urgency, e.due_at, e.id)
    )
    assert [entry.topic for entry in order] == ["quantity", "quantity", "price", "quantity"]
    hagglet = channel_ids(shop)["hagglet"]
    assert deliver_next(shop, hagglet, "test").sent == 3  # all quantities travel in one call
    assert deliver_next(shop, hagglet, "test").sent == 1


def test_one_call_carries_no_more_rows_than_the_rulebook_takes(shop, owner, world):
    skus = [add_pot(shop, owner, f"PX-{n:02d}") for n in range(30)]
    list_everywhere(shop, owner, *skus)
    for sku in skus:
        count(shop, owner, sku, 4)
    hagglet = channel_ids(shop)["hagglet"]
    assert [deliver_next(shop, hagglet, "test").sent for _ in range(3)] == [25, 5, 0]
    assert {row["quantity"] for row in world.listings("hagglet").values()} == {4}


def test_steps_and_floor_reach_the_channel(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    steps = [
        {"kind": "percent", "percent": "10"},
        {"kind": "ending", "endings": [99], "direction": "up"},
    ]
    change_channel(shop, owner, "hagglet", {"price_steps": steps})
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["price"] == 1899
    assert world.listings("ownshop")["PT-14"]["price"] == 1690
    set_floor(shop, owner, "PT-14", 2500)
    deliver(shop)
    assert (
        world.listings("hagglet")["PT-14"]["price"]
        == world.listings("ownshop")["PT-14"]["price"]
        == 2500
    )
    assert_sound(shop)


def test_what_feeds_a_channel_and_how_much_it_shows_reach_it(shop, owner, world):
    receive(shop, owner, "PT-14", 6, "yard")
    list_everywhere(shop, owner, "PT-14")
    assert world.listings("hagglet")["PT-14"]["quantity"] == 16
    change_channel(
        shop,
        owner,
        "hagglet",
        {"supply_list": ["yard"], "stock_policy": {"share": 50, "hold_back": 1}},
    )
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 2
    change_channel(shop, owner, "hagglet", {"supply_list": []})
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 0
    assert world.listings("ownshop")["PT-14"]["quantity"] == 16


def test_a_listing_with_gaps_is_not_sent_and_the_job_says_why(shop, owner, world):
    ids = draft_listings(shop, owner, "hagglet", ["PT-14"]).listing_ids
    job = publish_listings(shop, owner, ids)
    with shop.database.reading() as session:
        (row,) = job_verdicts(session, job)
        assert job_rows(session, job_id=job)[0].state == "ended"
    assert row.verdict == "refused"
    assert "asks for a category" in row.reason
    assert deliver(shop) == 0


def test_what_the_channel_refuses_becomes_a_gap_in_its_words_and_can_be_mended(shop, owner, world):
    ids = draft_listings(shop, owner, "hagglet", ["PT-14"]).listing_ids
    change_listings(shop, owner, ids, {"shelf": "hg-planters", "heading": "A counterfeit pot"})
    job = publish_listings(shop, owner, ids)
    deliver(shop)
    refused = listing(shop, ids[0])
    assert refused.state == "refused"
    assert refused.gaps[-1]["message"] == "The channel says: We do not allow this word."
    with shop.database.reading() as session:
        assert job_verdicts(session, job)[0].reason == "We do not allow this word."
    change_listings(shop, owner, ids, {"heading": ""})
    assert listing(shop, ids[0]).state == "ready"
    publish_listings(shop, owner, ids)
    deliver(shop)
    assert listing(shop, ids[0]).state == "live"


def test_changed_words_wait_until_they_are_sent_and_then_only_they_are(shop, owner, world):
    found = list_everywhere(shop, owner, "PT-14")
    listing_id = found["ownshop", "PT-14"]
    change_listings(shop, owner, [listing_id], {"name": "A better pot"})
    assert (listing(shop, listing_id).state, listing(shop, listing_id).outdated) == (
        "behind",
        "content",
    )
    assert deliver(shop) == 0
    publish_listings(shop, owner, [listing_id])
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["title"] == "A better pot"
    assert listing(shop, listing_id).state == "live"


def test_a_listing_is_taken_down_and_put_back(shop, owner, world):
    listing_id = list_everywhere(shop, owner, "PT-14")["hagglet", "PT-14"]
    take_down_listings(shop, owner, [listing_id])
    assert listing(shop, listing_id).state == "sending"
    deliver(shop)
    assert (world.listings("hagglet")["PT-14"]["state"], listing(shop, listing_id).state) == (
        "closed",
        "down",
    )
    put_back_listings(shop, owner, [listing_id])
    deliver(shop)
    assert (world.listings("hagglet")["PT-14"]["state"], listing(shop, listing_id).state) == (
        "live",
        "live",
    )


@pytest.mark.parametrize("kind", KINDS)
def test_whatever_the_weather_every_channel_ends_right_and_no_listing_is_placed_twice(
    shop, owner, world, kind
):
    skus = [add_pot(shop, owner, f"PX-{n}") for n in range(5)]
    for name in ("hagglet", "ownshop"):
        world.weather(name, kind, seed=11)
    for key in ("hagglet", "ownshop"):
        ids = draft_listings(shop, owner, key, skus).listing_ids
        if key == "hagglet":
            change_listings(shop, owner, ids, {"shelf": "hg-planters"})
        publish_listings(shop, owner, ids)
    persist(shop)
    for units, sku in enumerate(skus):
        count(shop, owner, sku, units)
    persist(shop)
    for name in ("hagglet", "ownshop"):
        world.weather(name, "calm")
        shown = world.client.get(f"/world/{name}/listings").json()
        assert {row["sku"]: row["quantity"] for row in shown} == {
            sku: units for units, sku in enumerate(skus)
        }
        assert len(shown) == len(skus)
    assert_sound(shop)


def test_a_channel_that_is_down_is_in_trouble_until_a_probe_succeeds(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    hagglet = channel_ids(shop)["hagglet"]
    world.weather("hagglet", "down")
    count(shop, owner, "PT-14", 2)
    for _ in range(12):
        delivery = deliver_next(shop, hagglet, "test")
        shop.now.move(seconds=max(0.5, delivery.wait_s or 0))
    with shop.database.reading() as session:
        health = channel_health(session, [session.get_one(Channel, hagglet)], shop.now())[hagglet]
    assert (health.state, health.waiting) == ("in trouble", 1)
    assert "nobody is there" in health.last_error
    assert deliver_next(shop, channel_ids(shop)["ownshop"], "test").sent == 1  # the other goes on
    world.weather("hagglet", "calm")
    shop.now.move(seconds=61)
    assert deliver_next(shop, hagglet, "test").sent == 1
    with shop.database.reading() as session:
        assert (
            channel_health(session, [session.get_one(Channel, hagglet)], shop.now())[hagglet].state
            == "healthy"
        )
    assert world.listings("hagglet")["PT-14"]["quantity"] == 2


def test_a_paused_channel_is_told_nothing_until_it_is_resumed(shop, owner, world):
    list_everywhere(shop, owner, "PT-14")
    change_channel(shop, owner, "hagglet", {"paused": True})
    count(shop, owner, "PT-14", 2)
    number = world.buy("ownshop", "PT-14")
    read(shop)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 10
    change_channel(shop, owner, "hagglet", {"paused": False})
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 1
    assert orders(shop)[0].channel_number == number


def test_what_a_killed_worker_was_sending_is_looked_up_and_not_placed_twice(
    shop, owner, world, monkeypatch
):
    ids = draft_listings(shop, owner, "hagglet", ["PT-14"]).listing_ids
    change_listings(shop, owner, ids, {"shelf": "hg-planters"})
    publish_listings(shop, owner, ids)
    hagglet = channel_ids(shop)["hagglet"]
    with shop.database.reading() as session:
        gateway = shop.gateway(channel_by_key(session, "hagglet"))
    publish = gateway.publish

    def killed(offer, key):
        publish(offer, key)
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(gateway, "publish", killed)
        with pytest.raises(KeyboardInterrupt):
            deliver_next(shop, hagglet, "worker-1")
    assert [entry.state for entry in entries(shop)] == ["sending"]
    assert reclaim(shop, "worker-1") == 1
    deliver(shop)
    assert len(world.listings("hagglet")) == 1
    assert listing(shop, ids[0]).state == "live"
