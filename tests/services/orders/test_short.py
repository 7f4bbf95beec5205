"""Tests sold beyond stock all the same: both orders come in, the later one is short, and there are
choices; it is learned."""

from relvan.services.channels.settings import change_channel
from relvan.services.listings.availability import availability
from relvan.services.orders.release import release_parts
from relvan.services.orders.reserve import reserve_anywhere
from relvan.services.orders.short import short_of
from relvan.store.orders import order_by_number
from tests.house import (
    add_pot,
    assert_sound,
    connect,
    deliver,
    list_everywhere,
    orders,
    read,
    receive,
    stock_of_sku,
)
from tests.snapshots import built_once


@built_once
def shop(workplace, owner, world):
    """Builds a pot, three in Millrace, which feeds both channels; two in the yard, which feeds
    none."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=3)
    receive(workplace, owner, "PT-14", 2, "yard")
    for key in ("hagglet", "ownshop"):
        change_channel(workplace, owner, key, {"supply_list": ["millrace"]})
    list_everywhere(workplace, owner, "PT-14")
    return workplace


def oversell(shop, world, first=3, later=2):
    """Sells twice within the lag; returns the number of the later order."""
    world.buy("hagglet", "PT-14", first)
    world.buy("ownshop", "PT-14", later)
    numbers = read(shop)
    deliver(shop)
    return numbers[-1]


def short(shop, number):
    with shop.database.reading() as session:
        return short_of(session, order_by_number(session, number))


def one(shop, number):
    return next(order for order in orders(shop) if order.number == number)


def test_the_later_order_is_short_and_says_what_can_be_done(shop, world):
    number = oversell(shop, world)
    assert [order.tray for order in orders(shop)] == ["short", "inbox"]
    found = short(shop, number)
    assert [
        (line.sku, line.wanted, line.here, line.elsewhere, line.oversold) for line in found.lines
    ] == [("PT-14", 2, 0, 2, 2)]
    assert (found.oversold, found.elsewhere, found.part) == (True, True, False)


def test_it_can_be_taken_from_another_warehouse(shop, owner, world):
    number = oversell(shop, world)
    assert [verdict.ok for verdict in reserve_anywhere(shop, owner, [number])] == [True]
    assert one(shop, number).tray == "inbox"
    with shop.database.reading() as session:
        assert {row.warehouse_key: row.reserved for row in stock_of_sku(session, "PT-14")}[
            "yard"
        ] == 2
    assert_sound(shop)


def test_what_is_there_can_be_sent_and_the_rest_waits(shop, owner, world):
    number = oversell(shop, world, first=2)
    assert short(shop, number).part
    (verdict,) = release_parts(shop, owner, [number])
    assert (verdict.ok, verdict.message) == (True, "S-1001")
    assert one(shop, number).words.startswith("1 of 2 short")
    assert [verdict.code for verdict in release_parts(shop, owner, [number])] == [""]
    assert_sound(shop)


def test_of_what_nobody_has_nothing_is_sent(shop, owner, world):
    number = oversell(shop, world)
    assert [verdict.code for verdict in release_parts(shop, owner, [number])] == ["short"]
    assert one(shop, number).words.startswith("2 of 2 short")


def test_the_hold_back_learns_from_it_and_forgets(shop, owner, world):
    change_channel(shop, owner, "hagglet", {"stock_policy": {"risk": "0.001"}})
    receive(shop, owner, "PT-14", 100)
    deliver(shop)
    before = availability(shop, "PT-14", "hagglet")
    world.buy("hagglet", "PT-14", before.quantity)
    world.buy("ownshop", "PT-14", 30)
    read(shop)
    receive(shop, owner, "PT-14", 200)
    held = availability(shop, "PT-14", "hagglet")
    step = next(step for step in held.why.steps if step.label == "Buffer by risk")
    assert "oversold of late" in step.detail
    learned = held.free - held.quantity
    shop.now.move(days=21)
    later = availability(shop, "PT-14", "hagglet")
    assert learned > later.free - later.quantity > 0
