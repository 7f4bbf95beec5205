"""Seconds from a purchase on one channel until all three others show one less, in calm weather:
with the worker idle, and while 20,000 updates wait. Idle means that every channel has answered
everything before; the next purchase comes at any moment of the second after that. Orders have come
within ten minutes, so that they are read as often as the rulebooks say of such a time.

Floor: one call that sets a quantity on another channel, there and back.
"""

import random
import time
from collections.abc import Iterator
from contextlib import ExitStack

from fastapi import FastAPI
from sqlalchemy import func, insert, select, update

from ground import figures, new_workplace, report, temporary, timed
from relvan.application import make_application
from relvan.core.channels.sending import OPEN_UPDATES, Topic, UpdateState, topic_urgency
from relvan.demo.scale import add_many
from relvan.services.workplace import Workplace
from relvan.store.tables import Channel, Listing, OutboxEntry
from relvan.worker.signals import Waker, open_signals
from shop import OWN, Served, World, list_everywhere, worker_process
from standins.app import make_world_app

IDLE, BUSY, WAITING = 40, 40, 20_000
DICE = random.Random(7)


def main() -> None:
    """Runs the outside world and the worker, buys, and waits until the other channels show one
    less.
    """
    with (
        temporary() as folder,
        Served(lambda url: make_world_app(f"{folder}/world.db", url)) as served,
        ExitStack() as site,
    ):
        world = World(served.url)
        workplace = new_workplace(f"{folder}/data")
        workplace.wake = Waker(open_signals(workplace.settings))
        site.enter_context(Served(lambda url: _application(workplace, url)))
        list_everywhere(workplace, world, 910)
        with worker_process(f"{folder}/data"):
            idle = figures([_sale(world, key, workplace) for key in _turns(IDLE)])
            head = {"Authorization": f"Bearer {world.token('ownshop')}"}
            levels = {"levels": [{"sku": "NOPE", "room": "web", "count": 5}]}
            floor = figures(
                timed(
                    lambda: world.client.post("/ownshop/admin/stock", json=levels, headers=head),
                    100,
                )
            )
        _fill(workplace)
        with worker_process(f"{folder}/data"):
            busy = figures([_sale(world, key) for key in _turns(BUSY)])
            left = _open(workplace, UpdateState.WAITING)
    report(
        "lag",
        {
            "sales": IDLE,
            "idle": idle,
            "while_waiting": busy,
            "waited_at_start": WAITING,
            "waited_at_the_end": left,
            "floor_one_call": floor,
            "target_idle_p95_ms": 1000,
            "target_waiting_p95_ms": 5000,
        },
    )


def _turns(count: int) -> Iterator[str]:
    keys = list(OWN)
    return (keys[number % len(keys)] for number in range(count))


def _fill(workplace: Workplace) -> None:
    """Fills the outbox with updates of wording and prices about listings that their channel does
    not know, so that each costs its call.
    """
    add_many(
        workplace.database, 2 * WAITING // len(OWN)
    )  # half of them are listed, on every channel
    now = workplace.now()
    with workplace.database.writing() as session:
        rows = session.execute(
            select(Listing.id, Listing.channel_id).where(Listing.placed.is_(False))
        ).all()
        placed = {"placed": True, "shown": True, "wish": "live", "price": 100}
        session.execute(
            update(Listing).where(Listing.placed.is_(False)).values(**placed, ref="gone")
        )
        singly = set(
            session.scalars(select(Channel.id).where(Channel.rulebook.in_(("hagglet", "ownshop"))))
        )
        entries = []
        for listing_id, channel_id in rows:
            topic = Topic.CONTENT if channel_id in singly else Topic.PRICE
            entries.append(
                {
                    "channel_id": channel_id,
                    "subject": f"listing:{listing_id}",
                    "topic": str(topic),
                    "urgency": int(topic_urgency(topic)),
                    "listing_id": listing_id,
                    "due_at": now,
                    "created_at": now,
                    "key": workplace.new_key(),
                    "payload": {},
                    "sent": {},
                }
            )
        assert len(entries) == WAITING
        session.execute(insert(OutboxEntry), entries)


def _open(workplace: Workplace, *states: UpdateState) -> int:
    with workplace.database.reading() as session:
        return session.scalar(select(func.count()).where(OutboxEntry.state.in_(states))) or 0


def _application(workplace: Workplace, url: str) -> FastAPI:
    workplace.settings.base_url = url
    return make_application(workplace.settings, workplace)


def _sale(world: World, channel: str, until_idle: Workplace | None = None) -> float:
    """Buys on a channel, once everything before is answered if a workplace is named; returns the
    seconds until the others show less."""
    if until_idle is not None:
        while _open(until_idle, *OPEN_UPDATES):
            time.sleep(0.02)
        time.sleep(DICE.random())
    others = [key for key in OWN if key != channel]
    before = {key: world.listings(key)["PT-14"]["quantity"] for key in others}
    world.buy(channel, "PT-14")
    start = time.perf_counter()
    while any(world.listings(key)["PT-14"]["quantity"] >= before[key] for key in others):
        time.sleep(0.02)
    taken = time.perf_counter() - start
    if until_idle is None:
        time.sleep(0.3)
    return taken


if __name__ == "__main__":
    main()
