"""Signals: every kind of work wakes the worker, in the box as by a server; a lost signal loses
nothing."""

import os
import threading
import time
from datetime import timedelta

import pytest

from relvan.core.catalogue.bulk import Operation
from relvan.core.waking import SAFETY_S, Work
from relvan.services.catalogue.bulk import change_many
from relvan.services.open import open_workplace
from relvan.services.prices.sales import PlanSale, plan_sale
from relvan.services.webhooks.keep import KeepWebhook, add_webhook
from relvan.store.jobs import job_rows
from relvan.worker.run import Worker
from relvan.worker.signals import (
    PipeSignals,
    PostgresSignals,
    RedisSignals,
    Waker,
    open_signals,
    read_tasks,
)
from tests.house import add_pot, connect, count, receive
from tests.server import lacking, postgres_started, redis_started
from tests.waiting import wait_until

ALL = [(work, 7) for work in Work]


class Listening:
    """Somebody who hears signals until the block ends."""

    def __init__(self, signals):
        self.signals, self.heard = signals, []
        self.read, self.write = os.pipe()
        self.thread = threading.Thread(target=signals.listen, args=(self.heard.append, self.read))

    def __enter__(self):
        self.thread.start()
        return self

    def __exit__(self, *_):
        os.write(self.write, b".")
        self.thread.join(5)
        assert not self.thread.is_alive()


def hears_everything(sender, listener):
    """Send every kind of work once the listener is there, and see that each arrives, in order."""
    with Listening(listener) as listening:
        assert listener.listening.wait(5)
        for task in ALL:
            Waker(sender)(*task)
        wait_until(lambda: listening.heard == ALL, 5)
    sender.close()


def test_every_kind_of_work_is_heard_through_a_pipe(tmp_path):
    folder = tmp_path / "signals"
    first, second = PipeSignals(folder, "worker 1/a"), PipeSignals(folder, "worker-2")
    with Listening(second) as other:
        assert second.listening.wait(5)
        hears_everything(PipeSignals(folder), first)
        wait_until(lambda: other.heard == ALL, 5)
    assert list(folder.iterdir()) == []


def test_a_pipe_that_nobody_reads_keeps_nobody_waiting(tmp_path):
    folder = tmp_path / "signals"
    folder.mkdir()
    os.mkfifo(folder / "dead.pipe")
    Waker(PipeSignals(folder))(Work.DELIVER, 1)
    full = os.open(folder / "dead.pipe", os.O_RDWR | os.O_NONBLOCK)
    for _ in range(20_000):
        Waker(PipeSignals(folder))(Work.DELIVER, 1)
    os.close(full)


@pytest.mark.skipif(bool(lacking()), reason="the servers are not installed here")
def test_every_kind_of_work_is_heard_through_the_servers():
    with redis_started() as url:
        listener = RedisSignals(url)
        hears_everything(RedisSignals(url), listener)
    with postgres_started() as server:
        url = server.url(server.make())
        hears_everything(PostgresSignals(url), PostgresSignals(url))


def test_that_the_way_is_broken_stops_no_change_and_is_told(workplace, owner, caplog):
    class Broken(PipeSignals):
        def send(self, task):
            raise OSError("the way is gone")

    workplace.wake = Waker(Broken(workplace.settings.data_dir))
    add_pot(workplace, owner, "PT-14")
    change_many(workplace, owner, [Operation("brand", "set", "Quillmoss")], skus=["PT-14"])
    assert "could not be told of jobs 0" in caplog.text


def test_a_kind_of_work_that_there_is_not_is_a_mistake_and_not_swallowed(tmp_path):
    with pytest.raises(ValueError, match="sweeping"):
        Waker(PipeSignals(tmp_path))("sweeping", 1)
    assert read_tasks(b"sweeping 1\ndeliver x\ndeliver 3\n") == [(Work.DELIVER, 3)]


@pytest.fixture
def place(settings, world):
    """Builds a workplace on the machine's clock, whose changes are told to whoever listens in its
    folder."""
    found = open_workplace(settings, wake=Waker(open_signals(settings)))
    yield found
    found.close()


@pytest.fixture
def working(place, owner, world, monkeypatch):
    """Starts a worker that never looks by itself, so that only signals reach it."""
    for work in SAFETY_S:
        monkeypatch.setitem(SAFETY_S, work, 3600.0)
    monkeypatch.setattr("relvan.worker.run.MIND_EVERY_S", 3600.0)
    theirs = open_workplace(place.settings)
    worker = Worker(theirs, "worker-t")
    worker.start()
    assert worker.signals.listening.wait(5)
    yield worker
    worker.stop()
    theirs.close()


def test_a_channel_that_is_connected_an_update_and_a_job_are_taken_up_at_once(
    working, place, owner, world
):
    connect(place, owner, world, "ownshop")
    add_pot(place, owner, "PT-14")
    list_everywhere_by(working, place, owner)
    wait_until(lambda: "PT-14" in world.listings("ownshop"), 5)
    count(place, owner, "PT-14", 3)
    wait_until(lambda: world.listings("ownshop")["PT-14"]["quantity"] == 3, 5)
    job = change_many(place, owner, [Operation("brand", "set", "Quillmoss")], skus=["PT-14"])
    wait_until(lambda: state_of(place, job) == "rehearsed", 5)


def list_everywhere_by(worker, place, owner):
    from relvan.services.listings.draft import draft_listings
    from relvan.services.listings.publish import publish_listings

    publish_listings(place, owner, draft_listings(place, owner, "ownshop", ["PT-14"]).listing_ids)


def state_of(place, job):
    with place.database.reading() as session:
        return job_rows(session, job_id=job)[0].state


def test_a_webhook_hears_at_once(working, place, owner, tool):
    add_pot(place, owner, "PT-14")
    add_webhook(place, owner, KeepWebhook("Books", tool.address, ("stock",)))
    receive(place, owner, "PT-14", 3)
    wait_until(lambda: tool.got, 5)


def test_a_sale_price_starts_at_its_time(working, place, owner, world):
    connect(place, owner, world, "ownshop")
    add_pot(place, owner, "PT-14")
    list_everywhere_by(working, place, owner)
    wait_until(lambda: "PT-14" in world.listings("ownshop"), 5)
    now = place.now()
    plan_sale(
        place,
        owner,
        PlanSale("PT-14", "retail", 990, now + timedelta(seconds=1), now + timedelta(hours=1)),
    )
    wait_until(lambda: world.listings("ownshop")["PT-14"]["price"] == 990, 6)


def test_a_change_is_taken_up_within_a_moment(working, place, owner):
    add_pot(place, owner, "PT-14")
    waits = []
    for brand in ("one", "two", "three", "four", "five"):
        job = change_many(place, owner, [Operation("brand", "set", brand)], skus=["PT-14"])
        begun = time.monotonic()
        wait_until(lambda job=job: state_of(place, job) == "rehearsed", 5)
        waits.append(time.monotonic() - begun)
    assert min(waits) < SAFETY_S[Work.JOBS]
