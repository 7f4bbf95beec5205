"""Updates that a channel takes one by one are sent in a short series: taken together, recorded
together, and none lost when the series ends before its last."""

import time

import pytest
from sqlalchemy import event, select

from relvan.gateways.calling import OutsideTrouble
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.outbox import deliver as delivering
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.store.channels import channel_by_key
from relvan.store.outbox import take_entries
from relvan.store.tables import OutboxEntry
from tests.house import add_pot, assert_sound, channel_ids, deliver
from tests.snapshots import built_once

MANY = 5


@pytest.fixture(autouse=True)
def unhurried(monkeypatch):
    """Lets a series take its time, however slow the machine is just now."""
    monkeypatch.setattr(delivering, "SERIES_S", 60)


@built_once
def notices(one_pot, owner, world):
    """Builds five listings that wait to be published on a channel that takes one in a call."""
    skus = [add_pot(one_pot, owner, f"PX-{number}") for number in range(MANY)]
    ids = draft_listings(one_pot, owner, "hagglet", skus).listing_ids
    change_listings(one_pot, owner, ids, {"shelf": "hg-planters"})
    publish_listings(one_pot, owner, ids)
    return one_pot


@pytest.fixture
def hagglet(notices):
    return channel_ids(notices)["hagglet"]


@pytest.fixture
def gateway(notices):
    with notices.database.reading() as session:
        return notices.gateway(channel_by_key(session, "hagglet"))


def told(workplace):
    with workplace.database.reading() as session:
        rows = session.scalars(select(OutboxEntry).order_by(OutboxEntry.id))
        return [(row.state, row.attempts, row.unsure) for row in rows]


WAITS = ("waiting", 0, False)


def test_a_series_is_taken_and_recorded_in_as_many_transactions_as_one(notices, hagglet, world):
    saved = []
    event.listen(notices.database.engine, "commit", lambda connection: saved.append(connection))
    assert deliver_next(notices, hagglet, "test").sent == MANY
    assert len(saved) == 2
    assert len(world.listings("hagglet")) == MANY
    assert {state for state, _, _ in told(notices)} == {"accepted"}
    assert_sound(notices)


def test_what_a_long_series_leaves_waits_as_it_did_before(notices, hagglet, world, monkeypatch):
    monkeypatch.setattr(delivering, "SERIES_S", -1)
    assert deliver_next(notices, hagglet, "test").sent == 1
    assert told(notices)[1:] == [WAITS] * (MANY - 1)
    deliver(notices)
    assert len(world.listings("hagglet")) == MANY
    assert_sound(notices)


def test_trouble_ends_a_series_and_only_that_update_is_tried_again(
    notices, hagglet, gateway, world, monkeypatch
):
    publish, calls = gateway.publish, []

    def cut(offer, key):
        calls.append(key)
        if len(calls) == 3:
            raise OutsideTrouble("Hagglet did not answer.", unclear=True)
        return publish(offer, key)

    monkeypatch.setattr(gateway, "publish", cut)
    assert deliver_next(notices, hagglet, "test").sent == 3
    assert [state for state, _, _ in told(notices)] == ["accepted"] * 2 + ["waiting"] * 3
    assert told(notices)[2] == ("waiting", 1, True)
    assert told(notices)[3:] == [WAITS] * 2
    notices.now.move(seconds=600)
    deliver(notices)
    assert len(world.listings("hagglet")) == MANY
    assert_sound(notices)


def test_a_worker_killed_in_a_series_places_nothing_twice(
    notices, hagglet, gateway, world, monkeypatch
):
    publish, calls = gateway.publish, []

    def killed(offer, key):
        calls.append(publish(offer, key))
        if len(calls) == 3:
            raise KeyboardInterrupt
        return calls[-1]

    with monkeypatch.context() as patch:
        patch.setattr(gateway, "publish", killed)
        with pytest.raises(KeyboardInterrupt):
            deliver_next(notices, hagglet, "worker-1")
    assert reclaim(notices, "worker-1") == MANY
    deliver(notices)
    assert len(world.listings("hagglet")) == MANY
    assert_sound(notices)


def test_what_another_worker_took_meanwhile_is_left_to_it(
    notices, hagglet, gateway, world, monkeypatch
):
    publish = gateway.publish

    def slow(offer, key):
        with notices.database.writing() as session:  # the lease is over, and another takes them
            for entry in session.scalars(select(OutboxEntry)):
                entry.taken_by = "worker-2"
        return publish(offer, key)

    monkeypatch.setattr(gateway, "publish", slow)
    monkeypatch.setattr(delivering, "SERIES_S", -1)
    deliver_next(notices, hagglet, "worker-1")
    assert {state for state, _, _ in told(notices)} == {"sending"}
    assert reclaim(notices, "worker-2") == MANY
    monkeypatch.undo()
    deliver(notices)
    assert len(world.listings("hagglet")) == MANY
    assert_sound(notices)


def test_of_a_slow_channel_no_more_is_taken_than_a_series_sends(
    notices, hagglet, gateway, monkeypatch
):
    monkeypatch.undo()  # a series ends in time
    publish = gateway.publish
    monkeypatch.setattr(
        gateway, "publish", lambda offer, key: (time.sleep(0.1), publish(offer, key))[1]
    )
    first = deliver_next(notices, hagglet, "test").sent
    assert 1 <= first <= 2  # as many as fit, while nothing is known of the channel
    taken = []
    monkeypatch.setattr(
        delivering,
        "take_entries",
        lambda session, ids, *more: (taken.append(len(ids)), take_entries(session, ids, *more)),
    )
    rest = MANY - first
    assert [deliver_next(notices, hagglet, "test").sent for _ in range(rest)] == [1] * rest
    assert taken == [1] * rest
