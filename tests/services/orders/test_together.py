"""Tests that orders that come at the same time are taken together, each once, and none keeps the
others out."""

import time
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime

import pytest

from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.services.orders import together
from relvan.services.orders.take import take_channel_orders
from relvan.services.orders.together import take_together
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    connect,
    deliver,
    list_everywhere,
    orders,
)
from tests.snapshots import built_once

TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")
MANY = 24


@built_once
def shop(workplace, owner, world):
    """Builds a pot, a hundred of it, on Hagglet and in the own shop."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=100)
    list_everywhere(workplace, owner, "PT-14")
    return workplace


def told(number):
    return IncomingOrder(
        number,
        datetime.now(UTC),
        "EUR",
        (IncomingLine("1", "PT-14", "Pot", 1, 1690),),
        TO,
        changed=1,
    )


def rush(shop, numbers):
    """Lets all of them come while somebody else writes; returns our number or the error of each."""
    channel_id = channel_ids(shop)["ownshop"]

    def take(number):
        try:
            return take_together(shop, channel_id, told(number))
        except ValueError as error:
            return str(error)

    with ThreadPoolExecutor(len(numbers)) as pool:
        with shop.database.writing():
            found = [pool.submit(take, number) for number in numbers]
            while len(shop.rush) < len(numbers) - 1:  # the first waits to write already
                time.sleep(0.01)
        return [one.result(timeout=20) for one in found]


def test_a_rush_is_taken_in_few_steps(shop, world, monkeypatch):
    steps = []

    def take(workplace, channel_id, some):
        steps.append(len(some))
        return take_channel_orders(workplace, channel_id, some)

    monkeypatch.setattr(together, "take_channel_orders", take)
    numbers = rush(shop, [f"OS-{n}" for n in range(MANY)])
    assert sorted(numbers) == sorted({order.number for order in orders(shop)})
    assert len(set(numbers)) == MANY
    assert sum(steps) == MANY
    assert len(steps) <= 3
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 100 - MANY
    assert_sound(shop)


def test_one_that_cannot_be_taken_keeps_none_out(shop, monkeypatch):
    def take(workplace, channel_id, some):
        if any(one.number == "OS-3" for one in some):
            raise ValueError("that one cannot be")
        return take_channel_orders(workplace, channel_id, some)

    monkeypatch.setattr(together, "take_channel_orders", take)
    found = rush(shop, [f"OS-{n}" for n in range(8)])
    assert found[3] == "that one cannot be"
    assert len(orders(shop)) == 7
    monkeypatch.undo()
    assert rush(shop, ["OS-3", "OS-3", "OS-3"])[0] is not None  # told again: taken once
    assert len(orders(shop)) == 8
    assert_sound(shop)


def test_when_it_breaks_off_nobody_believes_that_an_order_was_taken(shop, monkeypatch):
    def take(*_):
        raise SystemExit(1)

    monkeypatch.setattr(together, "take_channel_orders", take)
    channel_id = channel_ids(shop)["ownshop"]
    other = shop.rush.come(channel_id, told("OS-2"))
    with pytest.raises(SystemExit):
        take_together(shop, channel_id, told("OS-1"))
    assert (other.settled, other.number, "tell it again" in str(other.error)) == (True, None, True)
    monkeypatch.undo()
    assert take_together(shop, channel_id, told("OS-1")) == "O-1001"
    assert take_together(shop, channel_id, told("OS-1")) is None
