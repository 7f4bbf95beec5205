"""Labels cost money: none is bought twice, whatever the carrier's weather and whenever it all
breaks off."""

import os
import random
import subprocess
import sys
import threading
import time
from contextlib import suppress

import pytest

from relvan.core.packing.parcels import Packed
from relvan.core.refusal import NotFound, Refused
from relvan.services.packing.parcels import add_parcel, remove_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels, find_services, keep_label_file
from relvan.store.dispatch import parcels_of
from tests.house import assert_sound, connect, deliver, read
from tests.steps.sale import picks_of, release_all


@pytest.fixture
def shop(two_pots):
    return two_pots


TRACKED = "ostrel:tracked"
BUY_ALL = """
import sys
from contextlib import suppress
from relvan.core.people.roles import Role
from relvan.core.refusal import Refused
from relvan.services.shipping.labels import buy_labels
from relvan.services.open import open_workplace
from relvan.services.workplace import Actor
from relvan.settings import Settings

place = open_workplace(Settings(_env_file=None))
print("ready", flush=True)
while True:
    for shipment in map(int, sys.argv[1:]):
        with suppress(Refused):
            buy_labels(place, Actor(1, "Owner", Role.OWNER, "hand"), shipment, "ostrel:tracked")
"""


@pytest.fixture
def ready(shop, owner, world):
    """Packs so many shipments of two parcels each; returns their ids."""

    def pack(count, parcels=1):
        for _ in range(count):
            world.buy("hagglet", "PT-14", parcels)
        read(shop)
        ids = release_all(shop, owner)
        walk = make_pick_list(shop, owner, ids)
        for pick in picks_of(shop, walk):
            record_pick(shop, owner, walk, pick.id, pick.quantity)
        for shipment in ids:
            for _ in range(parcels):
                add_parcel(shop, owner, shipment, [Packed("PT-14", 1)], 900)
        return ids

    return pack


def parcels(workplace, shipment):
    with workplace.database.reading() as session:
        return parcels_of(session, shipment)


def tracking(workplace, ids):
    return [parcel.tracking_number for shipment in ids for parcel in parcels(workplace, shipment)]


def persistently(workplace, owner, shipment, times=12):
    """Buy as a person does who presses the button again."""
    for _ in range(times):
        with suppress(Refused):
            return buy_labels(workplace, owner, shipment, TRACKED)
    raise AssertionError("no label after all those times")


@pytest.mark.parametrize("kind", ["lost answers", "flaky", "throttled"])
def test_no_label_is_bought_twice_whatever_the_weather(shop, owner, world, ready, kind):
    ids = ready(2, parcels=2)
    world.weather("ostrel", kind, seed=3)
    for shipment in ids:
        persistently(shop, owner, shipment)
    world.weather("ostrel", "calm")
    before = tracking(shop, ids)
    assert [buy_labels(shop, owner, shipment, TRACKED) for shipment in ids] == [
        before[:2],
        before[2:],
    ]
    assert sorted(before) == [label["code"] for label in world.labels()]
    assert len(before) == 4


def test_slow_weather_takes_its_time_and_changes_nothing(shop, owner, world, ready):
    (shipment,) = ready(1)
    world.weather("ostrel", "slow", seed=1)
    start = time.monotonic()
    services = find_services(shop, shipment)
    assert time.monotonic() - start > 0.4, "the weather was slow"
    assert [service.price for service in services] == sorted(service.price for service in services)
    (number,) = buy_labels(shop, owner, shipment, services[0].service)
    assert keep_label_file(shop, parcels(shop, shipment)[0].id).startswith(b"%PDF")
    assert [label["code"] for label in world.labels()] == [number]


def test_while_the_carrier_is_down_it_is_said_and_nothing_is_lost(shop, owner, world, ready):
    (shipment,) = ready(1)
    world.weather("ostrel", "down")
    for deed in (
        lambda: find_services(shop, shipment),
        lambda: buy_labels(shop, owner, shipment, TRACKED),
    ):
        with pytest.raises(Refused) as refused:
            deed()
        assert refused.value.first.code == "unreachable"
    assert tracking(shop, [shipment]) == [None]
    assert dispatch_shipments(shop, owner, [shipment])[0].code == "no-label"
    world.weather("ostrel", "calm")
    (number,) = buy_labels(shop, owner, shipment, TRACKED)
    assert dispatch_shipments(shop, owner, [shipment])[0].ok
    deliver(shop)
    assert [
        parcel["code"] for order in world.orders("hagglet") for parcel in order["tracking"]
    ] == [number]
    assert_sound(shop)


def test_a_parcel_whose_label_was_asked_for_is_not_unpacked(shop, owner, world, ready):
    """Its answer may be lost: the label may be paid for already."""
    (shipment,) = ready(1)
    (parcel,) = parcels(shop, shipment)
    world.weather("ostrel", "down")
    with pytest.raises(Refused):
        buy_labels(shop, owner, shipment, TRACKED)
    with pytest.raises(Refused) as refused:
        remove_parcel(shop, owner, parcel.id)
    assert refused.value.first.code == "labelled"


def test_two_people_who_press_at_once_pay_once(shop, owner, world, ready):
    ids = ready(3)
    world.weather("ostrel", "slow", seed=5)
    found = []

    def press(shipment):
        with suppress(Refused):
            found.append(tuple(buy_labels(shop, owner, shipment, TRACKED)))

    presses = [
        threading.Thread(target=press, args=(shipment,)) for shipment in ids for _ in range(3)
    ]
    for one in presses:
        one.start()
    for one in presses:
        one.join(timeout=60)
    assert len(found) == 9, "whoever came second is told the same number"
    assert len(set(found)) == 3
    assert len(world.labels()) == 3


def test_killed_again_and_again_while_buying_no_label_is_paid_twice(
    shop, owner, world, ready, settings
):
    ids = ready(6)
    environment = {
        **os.environ,
        "RELVAN_DATA_DIR": str(settings.data_dir),
        "RELVAN_PRIVATE_ADDRESSES": "true",
    }
    dice = random.Random(2)
    for seed, kind in enumerate(("lost answers", "slow", "flaky")):
        world.weather("ostrel", kind, seed=seed)
        command = [sys.executable, "-c", BUY_ALL, *map(str, ids)]
        with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as buyer:
            assert buyer.stdout.readline() == "ready\n"
            time.sleep(dice.uniform(0.03, 0.9))
            buyer.kill()
    world.weather("ostrel", "calm")
    numbers = [number for shipment in ids for number in buy_labels(shop, owner, shipment, TRACKED)]
    assert sorted(numbers) == [label["code"] for label in world.labels()]
    assert len(set(numbers)) == 6
    assert all(verdict.ok for verdict in dispatch_shipments(shop, owner, ids))
    assert_sound(shop)


@pytest.mark.parametrize(
    ("service", "code"),
    [
        ("", "not-allowed"),
        ("ostrel", "not-allowed"),
        ("ostrel:", "not-allowed"),
        ("nobody:tracked", "not-allowed"),
        ("ostrel:by-balloon", "carrier-refused"),
    ],
)
def test_a_service_that_nobody_offers_is_refused_and_costs_nothing(
    shop, owner, world, ready, service, code
):
    (shipment,) = ready(1)
    with pytest.raises(Refused) as refused:
        buy_labels(shop, owner, shipment, service)
    assert (refused.value.first.code, refused.value.first.field) == (code, "service")
    assert world.labels() == []
    (number,) = buy_labels(shop, owner, shipment, TRACKED)
    assert number, "another service is taken after the first was refused"


def test_what_is_not_packed_has_no_service_and_no_label(shop, owner, world):
    world.buy("hagglet", "PT-14")
    read(shop)
    (shipment,) = release_all(shop, owner)
    with pytest.raises(Refused) as refused:
        find_services(shop, shipment)
    assert refused.value.first.code == "not-packed"
    with pytest.raises(Refused) as refused:
        buy_labels(shop, owner, shipment, TRACKED)
    assert refused.value.first.code == "wrong-state"


def test_without_a_carrier_it_is_said_where_to_connect_one(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    with pytest.raises(NotFound):
        find_services(workplace, 99)
    with pytest.raises(NotFound):
        keep_label_file(workplace, 99)
