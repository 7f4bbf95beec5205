"""Sharing duties among workers: whatever happens, none is left out, none is two workers', none has
too much."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.duties import LEASE, alive, share_of

NOW = datetime(2026, 11, 2, 9, 0, tzinfo=UTC)
WORKERS = ("anvil", "bellows", "chisel", "drill")
DUTIES = [f"channel:{n}" for n in range(1, 8)]


@pytest.mark.parametrize(
    ("held", "living", "me", "mine"),
    [
        ({}, [], "anvil", {"a", "b", "c", "d"}),  # alone: all
        (
            {"a": "anvil", "b": "anvil", "c": "anvil", "d": "anvil"},
            ["anvil"],
            "bellows",
            set(),
        ),  # nothing is snatched
        (
            {"a": "anvil", "b": "anvil", "c": "anvil", "d": "anvil"},
            ["anvil", "bellows"],
            "anvil",
            {"a", "b"},
        ),
        ({"a": "anvil", "b": "anvil"}, ["anvil", "bellows"], "bellows", {"c", "d"}),
        (
            {"a": "anvil", "b": "anvil", "c": "bellows", "d": "bellows"},
            ["bellows"],
            "bellows",
            {"a", "b", "c", "d"},
        ),
        ({"a": "anvil", "gone": "bellows"}, ["anvil", "bellows"], "bellows", {"b", "c"}),
    ],
)
def test_a_share(held, living, me, mine):
    assert share_of("abcd", held, living, me) == mine


def test_a_worker_that_was_not_seen_for_the_lease_has_died():
    seen = {"anvil": NOW, "bellows": NOW - LEASE + timedelta(seconds=1), "chisel": NOW - LEASE}
    assert alive(seen, NOW) == {"anvil", "bellows"}


@st.composite
def lives(draw):
    """Returns rounds in each of which some workers live, in some order of their turns."""
    sets = draw(st.lists(st.sets(st.sampled_from(WORKERS), min_size=1), min_size=1, max_size=6))
    return [draw(st.permutations(sorted(one))) for one in sets]


@given(lives(), st.integers(0, len(DUTIES)))
def test_after_a_turn_of_each_all_is_held_once_and_fairly(rounds, count):
    duties, held = DUTIES[:count], {}
    for living in rounds:
        for _ in range(2):  # in the first turns some give up what others take in the second
            for me in living:
                mine = share_of(duties, held, living, me)
                others = {
                    duty for duty, worker in held.items() if worker in living and worker != me
                }
                assert not mine & others
                held = {
                    duty: worker for duty, worker in held.items() if worker != me
                } | dict.fromkeys(mine, me)
        assert set(held) == set(duties)
        assert set(held.values()) <= set(living)
        fair = -(-count // len(living))
        assert all(list(held.values()).count(one) <= fair for one in living)
        settled = dict(held)
        assert all(
            share_of(duties, held, living, me) == {d for d, w in settled.items() if w == me}
            for me in living
        )
