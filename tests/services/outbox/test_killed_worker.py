"""Tests bad weather with real processes: the worker is killed in the middle and started again, and
all ends right."""

import os
import random
import subprocess
import sys
import time
from contextlib import suppress

import pytest

from relvan.core.people.roles import Role
from relvan.services.open import open_workplace
from relvan.services.orders.release import release_orders
from relvan.services.workplace import Actor
from relvan.worker.signals import Waker, open_signals
from tests.house import add_pot, assert_sound, connect, list_everywhere, orders
from tests.server import Served

OWNER = Actor(1, "Owner", Role.OWNER, "hand")
SKUS = [f"PX-{n}" for n in range(6)]


@pytest.fixture
def place(settings):
    """Builds a workplace on the machine's clock, whose changes wake a real worker."""
    found = open_workplace(settings, wake=Waker(open_signals(settings)))
    yield found
    found.close()


class Worker:
    """The worker as a process of its own."""

    def __init__(self, settings, name):
        self.environment = {
            **os.environ,
            "RELVAN_WORKER_NAME": name,
            "RELVAN_DATA_DIR": str(settings.data_dir),
            "RELVAN_DATABASE_URL": settings.database_url,
            "RELVAN_QUEUE_URL": settings.queue_url,
            "RELVAN_PRIVATE_ADDRESSES": "true",
        }
        self.process = None

    def start(self):
        self.process = subprocess.Popen(
            [sys.executable, "-m", "relvan", "worker"], env=self.environment
        )

    def kill(self):
        self.process.kill()
        self.process.wait()


@pytest.fixture
def workers(settings):
    """Starts two workers that share the work."""
    found = [Worker(settings, name) for name in ("anvil", "bellows")]
    for worker in found:
        worker.start()
    yield found
    for worker in found:
        worker.kill()


def sold_units(world):
    """Returns the units sold on all channels together, by SKU."""
    sold = dict.fromkeys(SKUS, 0)
    for name in ("hagglet", "ownshop"):
        for order in world.orders(name):
            for line in order["lines"]:
                sold[line["sku"]] += line["quantity"]
    return sold


def in_step(place, world):
    """Says whether every order is in and both channels show what is free. Equal numbers alone prove
    nothing: both channels may show the same stale one while the next is on its way."""
    taken = {row.channel_number for row in orders(place)}
    numbers = {row["number"] for name in ("hagglet", "ownshop") for row in world.orders(name)}
    free = {sku: 20 - units for sku, units in sold_units(world).items()}
    shown = [
        {sku: row["quantity"] for sku, row in world.listings(name).items()}
        for name in ("hagglet", "ownshop")
    ]
    return taken == numbers and shown == [free, free]


def test_killed_again_and_again_in_bad_weather_nothing_is_lost_or_doubled(
    place, settings, workers, world
):
    from relvan.application import make_application

    with Served(lambda url: serve_at(url, settings, make_application)):
        connect(place, OWNER, world)
        for sku in SKUS:
            add_pot(place, OWNER, sku, units=20)
        list_everywhere(place, OWNER, *SKUS)
        dice = random.Random(4)
        for number, kind in enumerate(
            ("flaky", "throttled", "lost answers", "down", "flaky", "calm")
        ):
            for name in ("hagglet", "ownshop"):
                world.weather(name, kind, seed=number)
            for _ in range(5):
                with suppress(AssertionError):
                    world.buy(dice.choice(("hagglet", "ownshop")), dice.choice(SKUS))
                time.sleep(dice.uniform(0.05, 0.3))
            killed = workers if kind == "down" else [workers[number % 2]]
            for worker in killed:
                worker.kill()
            time.sleep(0.2)
            for worker in killed:
                worker.start()
            world.client.post(
                "/world/ownshop/repeat-webhooks", json={"times": 3}
            ).raise_for_status()
        until = time.monotonic() + 90
        while not in_step(place, world):
            assert time.monotonic() < until, (
                f"not in step: sold {sold_units(world)}, {world.listings('hagglet')}"
            )
            time.sleep(0.3)
        time.sleep(1)  # and it stays so: nothing old arrives late
        assert in_step(place, world)
        numbers = [row.channel_number for row in orders(place)]
        assert len(numbers) == len(set(numbers))
        assert_sound(place)
        assert all(
            verdict.ok
            for verdict in release_orders(place, OWNER, [row.number for row in orders(place)])
        )


def serve_at(url, settings, make_application):
    """Serves the application at an address that the own shop can call its webhooks at."""
    settings.base_url = url
    return make_application(settings)
