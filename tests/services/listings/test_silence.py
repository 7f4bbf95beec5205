"""Tests that a channel that cannot be read sells on: the others hold that back, more the longer it
lasts, and let go after it."""

from datetime import timedelta

import pytest

from relvan.core.stock.risk import hold_back_of
from relvan.services.channels.settings import change_channel
from relvan.services.listings.availability import availability
from relvan.services.listings.hold_backs import bring_hold_backs_along, mind_silence
from relvan.services.orders.read import read_orders
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key
from relvan.store.listings import listings_of
from relvan.store.tables import LagSample
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    count,
    deliver,
    list_everywhere,
    orders,
    read,
)
from tests.snapshots import built_once

FOUR_WEEKS = 28 * 24 * 60  # minutes
LAG_S = 600


@built_once
def shop(workplace, owner, world):
    """Builds a pot on both channels, of which 560 were sold on Hagglet of late and 560 in our own
    shop, held back by risk; a jug that nobody bought."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=2_000)
    add_pot(workplace, owner, "JG-2", units=50)
    list_everywhere(workplace, owner, "PT-14", "JG-2")
    for key in ("hagglet", "ownshop"):
        for _ in range(8):
            world.buy(key, "PT-14", 70)
        change_channel(workplace, owner, key, {"stock_policy": {"risk": "0.01"}})
    read(workplace)
    with workplace.database.writing() as session:
        session.query(LagSample).delete()
        session.add_all(
            LagSample(channel_id=channel_id, at=workplace.now(), seconds=LAG_S)
            for channel_id in channel_ids(workplace).values()
        )
    bring_hold_backs_along(workplace)
    deliver(workplace)
    return workplace


def shown(shop, key, sku="PT-14"):
    """Returns what we hold that a channel shows."""
    with shop.database.reading() as session:
        product = find_product(session, sku).id
        (one,) = listings_of(session, product_ids=[product], channel_id=channel_ids(shop)[key])
        return one.quantity


def pass_time(shop, minutes, steps=6):
    """Lets so many minutes pass, in which every channel is read that can be."""
    for _ in range(steps):
        shop.now.move(minutes=minutes / steps)
        for channel_id in channel_ids(shop).values():
            read_orders(shop, channel_id)
        mind_silence(shop)


def silent_minutes(shop, key="hagglet"):
    with shop.database.reading() as session:
        return channel_by_key(session, key).silent_minutes


def test_the_others_hold_back_what_it_may_sell_and_let_go_when_it_is_heard(shop, world):
    before = {key: shown(shop, key) for key in ("hagglet", "ownshop")}
    world.weather("hagglet", "down")
    pass_time(shop, 60)
    assert silent_minutes(shop) == 64
    step = next(
        one
        for one in availability(shop, "PT-14", "ownshop").why.steps
        if one.label == "Buffer by risk"
    )
    assert "0.89 perhaps sold on Hagglet, silent for 64 min" in step.detail
    after_an_hour = shown(shop, "ownshop")
    assert after_an_hour == 880 - hold_back_of(
        1_120 / FOUR_WEEKS * LAG_S / 60 + 560 / FOUR_WEEKS * 64, 0.01
    )
    pass_time(shop, 240)
    assert before["ownshop"] > after_an_hour > shown(shop, "ownshop")
    assert (
        shown(shop, "hagglet") == before["hagglet"]
    )  # nothing of what it sells itself is held back from it
    assert shown(shop, "ownshop", "JG-2") == 50  # nobody buys it there
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == shown(shop, "ownshop")

    world.weather("hagglet", "calm")
    shop.now.move(minutes=10)
    read(shop)
    assert mind_silence(shop)
    assert not mind_silence(shop)
    assert silent_minutes(shop) == 0
    assert {key: shown(shop, key) for key in before} == before
    assert_sound(shop)


def test_what_sells_there_meanwhile_is_not_sold_twice(shop, owner, world):
    count(shop, owner, "PT-14", 1_160)  # 1,120 of them are reserved
    deliver(shop)
    world.weather("hagglet", "down")
    pass_time(shop, 5)
    shop.now.move(days=1)
    pass_time(shop, 1)
    deliver(shop)
    left = world.listings("ownshop")["PT-14"]["quantity"]
    assert 40 - left == hold_back_of(
        1_120 / FOUR_WEEKS * LAG_S / 60 + 20, 0.01
    )  # 20 a day are sold there
    world.buy("hagglet", "PT-14", 26)  # a good day
    world.buy("ownshop", "PT-14", left)
    world.weather("hagglet", "calm")
    shop.now.move(minutes=10)
    read(shop)
    assert {order.tray for order in orders(shop)} == {"inbox"}  # none is short
    assert_sound(shop)


def test_a_channel_that_nobody_tried_to_read_is_not_silent(shop):
    shop.now.move(days=1)
    assert not mind_silence(shop)
    assert silent_minutes(shop) == 0


def test_a_paused_channel_is_silent_too(shop, owner):
    change_channel(shop, owner, "hagglet", {"paused": True})
    pass_time(shop, 30)
    assert silent_minutes(shop) == 36
    change_channel(shop, owner, "hagglet", {"paused": False})
    pass_time(shop, 1)
    assert silent_minutes(shop) == 0


def test_to_be_told_to_wait_again_and_again_is_silence(shop):
    with shop.database.writing() as session:  # as note_call keeps it after “too many calls”
        channel = channel_by_key(session, "hagglet")
        channel.orders_read_at, channel.probe_at = shop.now() - timedelta(minutes=7), shop.now()
    assert mind_silence(shop)
    assert silent_minutes(shop) == 8


def test_hold_backs_follow_paces_as_these_fade(shop):
    held = shown(shop, "ownshop")
    shop.now.move(days=40)
    assert shown(shop, "ownshop") == held  # nothing has moved it
    assert bring_hold_backs_along(shop) == 2
    assert shown(shop, "ownshop") > held
    assert bring_hold_backs_along(shop) == 0


@pytest.mark.parametrize("policy", [{}, {"hold_back": 2}])
def test_where_nothing_is_held_back_by_risk_nothing_is_worked_out(shop, owner, world, policy):
    for key in ("hagglet", "ownshop"):
        change_channel(shop, owner, key, {"stock_policy": policy})
    before = shown(shop, "ownshop")
    world.weather("hagglet", "down")
    pass_time(shop, 20)
    assert silent_minutes(shop) == 27
    assert shown(shop, "ownshop") == before
    assert bring_hold_backs_along(shop) == 0
