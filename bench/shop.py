"""A small shop on all four channels and the outside world it sells in, for the benchmarks that need
them."""

import io
import os
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import httpx
import uvicorn
from PIL import Image

from ground import OWNER
from relvan.core.catalogue.product import ProductDraft
from relvan.gateways.calling import trusted_roots
from relvan.services.catalogue.pictures import add_picture
from relvan.services.catalogue.save import create_product
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.outbox.deliver import deliver_next
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.prices.set import set_list_price
from relvan.services.stock.move import MoveStock, move_stock
from relvan.services.workplace import Workplace
from relvan.store.channels import channels

SKU = "PT-14"
LISTED_WITHIN_S = 60
# what a listing of the pot says of its own on each channel, so that it has no gaps
OWN = {
    "corvello": {
        "page": "new",
        "no_gtin_because": "handmade",
        "aisle": "cv-101",
        "diameter": "14 cm",
    },
    "hagglet": {"shelf": "hg-planters"},
    "loomstead": {"corner": "pots-middle", "keywords": "clay, pot"},
    "ownshop": {},
}


def free_port() -> int:
    """Returns a port of the loopback address that nobody uses."""
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


class Served:
    """An ASGI application that a thread serves on a port of its own."""

    def __init__(self, make: Callable[[str], Any]) -> None:
        port = free_port()
        self.url = f"http://127.0.0.1:{port}"
        config = uvicorn.Config(
            make(self.url), port=port, log_level="critical", timeout_graceful_shutdown=1
        )
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)

    def __enter__(self) -> "Served":
        self.thread.start()
        while not self.server.started:
            time.sleep(0.01)
        return self

    def __exit__(self, *_: object) -> None:
        self.server.should_exit = True
        self.thread.join(timeout=10)


class World:
    """The outside world as a visitor sees it."""

    def __init__(self, url: str) -> None:
        self.client = httpx.Client(base_url=url, timeout=20, verify=trusted_roots())
        self.standins = self.client.get("/world").json()["standins"]

    def listings(self, channel: str) -> dict[str, Any]:
        """Returns what buyers see on a channel, by SKU."""
        return {row["sku"]: row for row in self.client.get(f"/world/{channel}/listings").json()}

    def buy(self, channel: str, sku: str) -> None:
        """Buys one unit."""
        self.client.post(
            f"/world/{channel}/purchases", json={"sku": sku, "quantity": 1}
        ).raise_for_status()

    def seller_api(self, channel: str) -> str:
        """Returns the address of a channel for its sellers."""
        return str(self.standins[channel]["seller_api"])

    def token(self, channel: str) -> str:
        """Returns the seller's token on a channel."""
        return str(self.standins[channel]["token"])


def add_pot(workplace: Workplace, sku: str = SKU, units: int = 10, **facts: Any) -> str:
    """Creates a product with a picture and stock that every channel takes; returns its SKU."""
    start: dict[str, Any] = {
        "title": f"A pot of clay {sku}",
        "category": "Pots",
        "description": "A stoneware pot with a glaze, thrown by hand.",
        "weight_g": 700,
        "cost": 500,
        "attributes": {"material": "stoneware"},
        "prices": {"retail": 1690},
    }
    create_product(workplace, OWNER, ProductDraft(sku=sku, **{**start, **facts}))
    picture = io.BytesIO()
    Image.new("RGB", (400, 400), "green").save(picture, "PNG")
    add_picture(workplace, OWNER, sku, picture.getvalue())
    if units:
        move_stock(workplace, OWNER, MoveStock(sku, "millrace", "receipt", change=units))
    return sku


def list_everywhere(workplace: Workplace, world: World, units: int) -> None:
    """Connects all four channels and publishes one pot on each, which shows so many units."""
    add_price_list(workplace, OWNER, NewPriceList("chf", "Francs", "CHF", True))
    for key in OWN:
        connect_channel(
            workplace, OWNER, ConnectChannel(key, world.seller_api(key), world.token(key))
        )
    add_pot(workplace, units=units, attributes={"material": "Stoneware"}, brand="Quillmoss")
    set_list_price(workplace, OWNER, SKU, "chf", 1800)
    ids = []
    for key, own in OWN.items():
        drafted = draft_listings(workplace, OWNER, key, [SKU]).listing_ids
        if own:
            change_listings(workplace, OWNER, drafted, own)
        ids += drafted
    publish_listings(workplace, OWNER, ids)
    with workplace.database.reading() as session:
        channel_ids = [channel.id for channel in channels(session)]
    until = time.monotonic() + LISTED_WITHIN_S
    while (
        sum(row["quantity"] for key in OWN for row in world.listings(key).values())
        < len(OWN) * units
    ):
        if time.monotonic() > until:
            raise TimeoutError("The pot did not get onto all channels.")
        for channel_id in channel_ids:
            deliver_next(workplace, channel_id, "bench")
        time.sleep(0.05)


@contextmanager
def worker_process(folder: str, settle_s: float = 4.0) -> Iterator[subprocess.Popen[bytes]]:
    """Runs a worker on a data folder in a process of its own."""
    environment = {**os.environ, "RELVAN_DATA_DIR": folder, "RELVAN_PRIVATE_ADDRESSES": "true"}
    worker = subprocess.Popen([sys.executable, "-m", "relvan", "worker"], env=environment)
    time.sleep(settle_s)
    try:
        yield worker
    finally:
        worker.terminate()
        worker.wait()
