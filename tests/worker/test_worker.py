"""Tests the background: one round for a channel at a time, nothing that waits is missed, trouble
stops nobody else."""

import logging
import threading
import time
from datetime import timedelta

import pytest

from relvan.core.refusal import DatabaseAway
from relvan.core.waking import Work
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.hold_backs import mind_silence
from relvan.services.listings.publish import publish_listings
from relvan.services.listings.standing import Look
from relvan.services.open import open_workplace
from relvan.store.channels import channel_by_key
from relvan.worker.quiet import Seldom
from relvan.worker.rounds import Rounds
from relvan.worker.run import Worker, only_one
from tests.house import add_pot, channel_ids, connect, count, list_everywhere
from tests.waiting import wait_until


def test_a_round_asked_for_while_one_runs_is_run_after_it():
    started, go_on, seen = threading.Event(), threading.Event(), []

    def deed(channel):
        seen.append(channel)
        started.set()
        go_on.wait(5)

    rounds = Rounds(deed)
    first = threading.Thread(target=rounds.run, args=(1,))
    first.start()
    started.wait(5)
    rounds.run(1)  # comes back at once: the first will run once more
    assert seen == [1]
    go_on.set()
    first.join(5)
    assert seen == [1, 1]


def test_a_slow_channel_keeps_no_other_waiting():
    seen, go_on = [], threading.Event()

    def deed(channel):
        if channel == 1:
            go_on.wait(5)
        seen.append(channel)

    rounds = Rounds(deed)
    slow = threading.Thread(target=rounds.run, args=(1,))
    slow.start()
    rounds.run(2)
    assert seen == [2]
    go_on.set()
    slow.join(5)
    assert seen == [2, 1]


def test_a_round_that_fails_leaves_the_next_one_free(caplog):
    seen = []

    def deed(channel):
        seen.append(channel)
        if len(seen) == 1:
            raise RuntimeError("first")

    rounds = Rounds(deed)
    rounds.run(1)
    rounds.run(1)
    assert seen == [1, 1]
    assert "A round for channel 1 failed" in caplog.text


def test_that_the_queue_is_away_is_told_seldom_and_in_a_line(caplog):
    log, seldom = logging.getLogger("a queue that is away"), Seldom()
    log.addFilter(seldom)
    for _ in range(5):
        try:
            raise ConnectionError("nobody listens")
        except ConnectionError:
            log.exception("Error reading from queue")
    log.warning("something else")
    assert [record.getMessage() for record in caplog.records] == [
        "Error reading from queue: nobody listens",
        "something else",
    ]
    assert not any(record.exc_info for record in caplog.records)
    seldom.every_s = 0
    log.error("again")
    assert caplog.records[-1].getMessage() == "again"


def test_that_the_database_is_away_is_told_seldom_and_other_trouble_always(caplog):
    log, seldom = logging.getLogger("a loop of the worker"), Seldom(only=DatabaseAway)
    log.addFilter(seldom)
    for trouble in (
        DatabaseAway(),
        DatabaseAway(),
        ValueError("a mistake of ours"),
        ValueError("another"),
    ):
        try:
            raise trouble
        except Exception:
            log.exception("A round failed")
    told = [(record.getMessage(), record.exc_info is None) for record in caplog.records]
    assert told == [
        (f"A round failed: {DatabaseAway()}", True),
        ("A round failed", False),
        ("A round failed", False),
    ]


def test_only_one_worker_works_on_a_folder(settings):
    order = []

    def second():
        with only_one(settings):
            order.append("second")

    with only_one(settings):
        thread = threading.Thread(target=second, daemon=True)
        thread.start()
        time.sleep(0.2)
        order.append("first")
    thread.join(5)
    assert order == ["first", "second"]


@pytest.fixture
def place(settings, world):
    """Builds a workplace on the machine's clock whose changes wake nobody; it lets go of the world
    before that ends."""
    found = open_workplace(settings)
    yield found
    found.close()


def test_the_schedule_finds_what_nobody_was_woken_for(place, owner, world):
    connect(place, owner, world)
    add_pot(place, owner, "PT-14")
    for key in ("hagglet", "ownshop"):
        ids = draft_listings(place, owner, key, ["PT-14"]).listing_ids
        if key == "hagglet":
            change_listings(place, owner, ids, {"shelf": "hg-planters"})
        publish_listings(place, owner, ids)
    worker = Worker(place, "worker-t")
    worker.start()
    try:
        wait_until(lambda: all("PT-14" in world.listings(key) for key in ("hagglet", "ownshop")))
        world.weather("hagglet", "down")  # one channel in trouble keeps the other from nothing
        count(place, owner, "PT-14", 3)
        wait_until(lambda: world.listings("ownshop")["PT-14"]["quantity"] == 3)
        world.weather("hagglet", "calm")
        wait_until(lambda: world.listings("hagglet")["PT-14"]["quantity"] == 3, 20)
        world.buy("hagglet", "PT-14")
        wait_until(lambda: world.listings("ownshop")["PT-14"]["quantity"] == 2)
    finally:
        worker.stop()


def test_two_rounds_at_once_share_one_gateway(place, owner, world, monkeypatch):
    connect(place, owner, world, "hagglet")
    with place.database.reading() as session:
        channel = channel_by_key(session, "hagglet")
    opened = []
    open_slowly = place.open_gateway

    def slow(*arguments):
        time.sleep(0.1)
        opened.append(open_slowly(*arguments))
        return opened[-1]

    monkeypatch.setattr(place, "open_gateway", slow)
    threads = [threading.Thread(target=place.gateway, args=(channel,)) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(5)
    assert len(opened) == 1


def test_the_worker_looks_whether_what_was_placed_still_stands(
    workplace, owner, world, monkeypatch
):
    looked = []

    def look(place, channel_id):
        looked.append(channel_id)
        return Look()

    monkeypatch.setattr("relvan.worker.run.read_standing", look)
    connect(workplace, owner, world, "hagglet")
    worker = Worker(workplace)
    (channel_id,) = channel_ids(workplace).values()
    for _ in range(3):
        worker.looks.run(channel_id)
    assert looked == [channel_id] * 3


def test_the_worker_minds_silent_channels(place, owner, world, monkeypatch, caplog):
    def silent():
        with place.database.reading() as session:
            return channel_by_key(session, "hagglet").silent_minutes

    def mind(workplace, failures=[1]):  # noqa: B006 - the first time it fails
        if failures:
            raise OSError(f"trouble {failures.pop()}")
        return mind_silence(workplace)

    connect(place, owner, world, "hagglet")
    with place.database.writing() as session:
        channel_by_key(session, "hagglet").orders_read_at = place.now() - timedelta(
            minutes=5, seconds=10
        )
    monkeypatch.setattr("relvan.worker.run.MIND_EVERY_S", 0.1)
    monkeypatch.setattr("relvan.worker.run.mind_silence", mind)
    world.weather("hagglet", "down")
    worker = Worker(place, "worker-t")
    worker.start()
    try:
        wait_until(lambda: silent() == 6)
        assert "Hold-backs by risk could not be kept up" in caplog.text
        world.weather("hagglet", "calm")
        wait_until(lambda: silent() == 0)
    finally:
        worker.stop()


def test_orders_are_read_more_often_for_a_while_after_one_has_come(
    workplace, owner, world, monkeypatch
):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    place = channel_ids(workplace)["hagglet"]
    worker = Worker(workplace)
    worker._look_around(0)
    moment = time.monotonic()
    monkeypatch.setattr(time, "monotonic", lambda: moment)
    assert worker._every(Work.READ, place) == 0.5
    worker._read(place)
    assert worker._every(Work.READ, place) == 0.5, "nothing had come"
    world.buy("hagglet", "PT-14")
    worker._read(place)
    assert worker._every(Work.READ, place) == 0.2
    monkeypatch.setattr(time, "monotonic", lambda: moment + 601)
    assert worker._every(Work.READ, place) == 0.5
