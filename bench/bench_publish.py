"""Publishing 5,000 listings to a channel that answers by sheet, against what its rate limit alone
would take.

The limit: so many calls a second, so many lines in a hand-in; the calls are the hand-ins and one
question for each reply sheet. `of_limit` is our time from pressing publish to the last listing
live, over that.
"""

import math
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress

import httpx
from sqlalchemy import select, text

from ground import OWNER, new_workplace, report, temporary
from relvan.core.catalogue.identity import gtin_check_digit
from relvan.demo.scale import add_many
from relvan.gateways.channels.registry import rulebook
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.listings.draft import draft_listings, set_values
from relvan.services.listings.publish import publish_listings
from relvan.services.outbox.deliver import deliver_next
from relvan.store.listing_list import ListingFilter, count_listings
from relvan.store.product_list import ProductFilter, all_skus
from relvan.store.tables import Channel
from shop import World, free_port

COUNT = 5_000


def main() -> None:
    """Fills the catalogue on the channel, drafts here, publishes, and waits until all listings are
    live.
    """
    with temporary() as folder, _world(folder) as world:
        workplace = new_workplace(f"{folder}/data")
        wish = ConnectChannel("corvello", world.seller_api("corvello"), world.token("corvello"))
        connect_channel(workplace, OWNER, wish)
        report("publish", _publish(workplace, world))


@contextmanager
def _world(folder: str) -> Iterator[World]:
    """Runs the channel in a process of its own, so that what it computes is none of our time."""
    port = free_port()
    there = subprocess.Popen(
        [sys.executable, "-m", "standins", "--port", str(port), "--data", f"{folder}/world.db"]
    )
    try:
        yield _reached(f"http://127.0.0.1:{port}")
    finally:
        there.terminate()
        there.wait(timeout=10)


def _reached(address: str) -> World:
    """Returns the outside world at an address as soon as it answers; raises when it does not within
    ten seconds.
    """
    for _ in range(200):
        with suppress(httpx.TransportError):
            return World(address)
        time.sleep(0.05)
    return World(address)


def _publish(workplace, world) -> dict[str, object]:
    add_many(workplace.database, COUNT)
    with workplace.database.writing() as session:
        for statement in ("DELETE FROM listing", "UPDATE balance SET on_hand = on_hand + 1"):
            session.execute(text(statement))
        rows = session.execute(text("SELECT id, title FROM product ORDER BY id")).all()
        channel_id = session.scalars(select(Channel.id)).one()
    pages = []
    for product_id, title in rows:
        body = f"40{product_id:010d}"
        pages.append({"title": title, "maker": "Quillmoss", "gtin": body + gtin_check_digit(body)})
    refs = world.client.post("/world/corvello/pages", json={"pages": pages}, timeout=300).json()[
        "pages"
    ]
    with workplace.database.reading() as session:
        skus = all_skus(session, ProductFilter(in_stock=True))
    ids = draft_listings(workplace, OWNER, "corvello", skus).listing_ids
    for start in range(0, len(ids), 400):
        chunk = ids[start : start + 400]
        wanted = {one: {"page": refs[place]} for place, one in enumerate(chunk, start)}
        set_values(workplace, OWNER, wanted)
    began = time.perf_counter()
    publish_listings(workplace, OWNER, ids)
    opened = time.perf_counter() - began
    calls = 0
    while True:
        delivery = deliver_next(workplace, channel_id, "bench")
        calls += delivery.sent > 0
        if not delivery.sent:
            if delivery.wait_s is None:
                break
            time.sleep(min(0.2, max(0.02, delivery.wait_s)))
    seconds = time.perf_counter() - began
    with workplace.database.reading() as session:
        live = count_listings(session, ListingFilter(state="live")).number
    book = rulebook("corvello")
    needed = 2 * math.ceil(len(ids) / book.rows_at_once.publish)
    limit = (
        max(1.0, needed - book.calls.burst) / book.calls.per_second
        + 0.6
        + 0.002 * book.rows_at_once.publish
    )
    return {
        "listings": len(ids),
        "live": live,
        "opened_s": round(opened, 2),
        "seconds": round(seconds, 2),
        "limit_s": round(limit, 2),
        "of_limit": round(seconds / limit, 1),
    }


if __name__ == "__main__":
    sys.exit(main())
