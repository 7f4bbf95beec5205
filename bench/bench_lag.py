"""Seconds from a purchase on one channel to the other channel showing one less, in calm weather, worker idle.

Floor: one call that sets a quantity on the other channel, there and back.
"""

import os
import subprocess
import sys
import time
from contextlib import ExitStack

from fastapi import FastAPI

from ground import OWNER, figures, new_workplace, report, temporary, timed
from relvan.application import make_application
from relvan.services.workplace import Workplace
from relvan.worker.queue import Waker, open_queue
from standins.app import make_world_app
from tests.conftest import Served, World
from tests.house import add_pot, connect, list_everywhere

SALES = 40


def main() -> None:
    """Run the world and the worker, buy, and wait for the other channel."""
    with (
        temporary() as folder,
        Served(lambda url: make_world_app(f"{folder}/world.db", url)) as served,
        ExitStack() as site,
    ):
        world = World(served.url)
        workplace = new_workplace(f"{folder}/data")
        workplace.wake = Waker(open_queue(workplace.settings))
        site.enter_context(Served(lambda url: _application(workplace, url)))
        connect(workplace, OWNER, world)
        add_pot(workplace, OWNER, "PT-14", units=500)
        list_everywhere(workplace, OWNER, "PT-14")
        environment = {**os.environ, "RELVAN_DATA_DIR": f"{folder}/data", "RELVAN_PRIVATE_ADDRESSES": "true"}
        worker = subprocess.Popen([sys.executable, "-m", "relvan", "worker"], env=environment)
        time.sleep(4)
        lags = {}
        for channel, other in (("hagglet", "ownshop"), ("ownshop", "hagglet")):
            lags[f"{channel} to {other}"] = figures([_sale(world, channel, other) for _ in range(SALES)])
        head = {"Authorization": f"Bearer {world.token('ownshop')}"}
        levels = {"levels": [{"sku": "PT-14", "room": "web", "count": 5}]}
        floor = figures(timed(lambda: world.client.post("/ownshop/admin/stock", json=levels, headers=head), 100))
        worker.terminate()
        worker.wait()
    report("lag", {"sales": SALES, "lag": lags, "floor_one_call": floor, "target_p95_ms": 2000})


def _application(workplace: Workplace, url: str) -> FastAPI:
    workplace.settings.base_url = url
    return make_application(workplace.settings, workplace)


def _sale(world: World, channel: str, other: str) -> float:
    before = world.listings(other)["PT-14"]["quantity"]
    world.buy(channel, "PT-14")
    start = time.perf_counter()
    while world.listings(other)["PT-14"]["quantity"] >= before:
        time.sleep(0.01)
    taken = time.perf_counter() - start
    time.sleep(0.2)
    return taken


if __name__ == "__main__":
    main()
