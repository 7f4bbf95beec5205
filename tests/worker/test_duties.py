"""Several workers on one database: each has its duties, the others take over what a dead one
did."""

import time
from datetime import timedelta

import pytest

from relvan.core.duties import HOLD_BACKS, JOBS, LEASE, SALES, channel_duty
from relvan.services.duties import leave_duties, take_duty, take_share, workers_seen
from relvan.worker.duties import SURE_S, Duties, working_alone
from tests.house import channel_ids, connect


@pytest.fixture
def five(workplace, owner, world):
    """Returns the duties of two channels, of bulk jobs, of sale prices and of hold-backs."""
    connect(workplace, owner, world)
    return {*map(channel_duty, channel_ids(workplace).values()), JOBS, SALES, HOLD_BACKS}


def share(workplace, worker, busy=()):
    return take_share(workplace, worker, busy=busy).mine


def test_two_share_and_one_takes_over_when_the_other_dies(workplace, five):
    assert share(workplace, "anvil") == five
    assert share(workplace, "bellows") == set()
    first = share(workplace, "anvil")
    second = share(workplace, "bellows")
    assert first | second == five
    assert {len(first), len(second)} == {2, 3}
    workplace.now.move(seconds=LEASE.total_seconds() / 2)
    assert share(workplace, "bellows") == second
    workplace.now.move(seconds=LEASE.total_seconds() / 2)  # anvil was not seen for the lease
    assert share(workplace, "bellows") == five
    with workplace.database.reading() as session:
        seen = [(row.name, row.channels, lives) for row, lives in workers_seen(session, workplace)]
    assert seen == [("anvil", 0, False), ("bellows", 2, True)]
    workplace.now.move(days=2)
    share(workplace, "bellows")
    with workplace.database.reading() as session:
        assert [row.name for row, _ in workers_seen(session, workplace)] == ["bellows"]


def test_one_that_goes_leaves_its_duties_at_once(workplace, five):
    share(workplace, "anvil")
    leave_duties(workplace, "anvil")
    assert share(workplace, "bellows") == five


def test_what_a_worker_is_busy_with_is_given_up_when_it_has_done(workplace, five):
    share(workplace, "anvil")
    share(workplace, "bellows")
    kept = share(workplace, "anvil", busy=five)
    assert len(kept) == 3  # it begins nothing more on the others
    assert share(workplace, "bellows") == set()  # and nobody else does, yet
    share(workplace, "anvil")
    assert share(workplace, "bellows") == five - kept


def test_a_new_channel_is_asked_for_at_once(workplace, owner, world):
    duties = Duties(workplace, "anvil", busy=set)
    duties.beat()
    connect(workplace, owner, world, "hagglet")
    (channel_id,) = channel_ids(workplace).values()
    assert duties.holds(channel_duty(channel_id))


def test_who_cannot_say_that_it_lives_stops_before_others_take_over(
    workplace, five, monkeypatch, caplog
):
    duties = Duties(workplace, "anvil", busy=set)
    duties.beat()
    assert duties.holds(JOBS)

    def away(*_, **__):
        raise OSError("the database is away")

    monkeypatch.setattr("relvan.worker.duties.take_share", away)
    duties.beat()
    assert duties.holds(JOBS)
    assert "could not be kept" in caplog.text
    later = time.monotonic() + SURE_S
    monkeypatch.setattr("relvan.worker.duties.time.monotonic", lambda: later)
    assert timedelta(seconds=SURE_S) < LEASE
    assert not duties.holds(JOBS)


def test_a_command_works_on_jobs_only_while_no_worker_does(workplace, five):
    share(workplace, "anvil")
    with working_alone(workplace, "import 1") as alone:
        assert not alone
    leave_duties(workplace, "anvil")
    with working_alone(workplace, "import 1") as alone:
        assert alone
        assert not take_duty(workplace, "import 2", JOBS)
        assert share(workplace, "anvil") == five - {JOBS}  # and the command counts for no share
    assert share(workplace, "anvil") == five
