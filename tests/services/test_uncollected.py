"""Tests how seldom objects are searched for reference cycles."""

import gc

import pytest

from relvan.services.uncollected import collect_seldom, uncollected


@pytest.fixture(autouse=True)
def as_before():
    """Leaves the search as it was found."""
    before, enabled = gc.get_threshold(), gc.isenabled()
    yield
    gc.set_threshold(*before)
    (gc.enable if enabled else gc.disable)()


class Knot:
    """Something that refers to itself."""

    def __init__(self):
        self.itself = self


def test_what_a_process_begins_with_is_not_searched_again():
    before = gc.get_freeze_count()
    kept = [Knot() for _ in range(1000)]
    collect_seldom()
    assert gc.get_freeze_count() >= before + len(kept)
    assert not any(one in gc.get_objects() for one in kept[:3])


def test_everything_is_searched_after_millions_of_new_objects_and_not_before():
    collect_seldom()
    youngest, older, oldest = gc.get_threshold()
    assert 5_000_000 < youngest * older * oldest < 100_000_000
    before = gc.get_stats()[2]["collections"]
    for _ in range(youngest * 2):
        Knot()
    assert gc.get_stats()[2]["collections"] == before
    assert gc.get_count()[0] < youngest  # knots of now are found soon


def test_nothing_is_searched_within_such_work_and_again_after_it():
    gc.enable()
    seen = []

    def fail():
        with uncollected():
            seen.append(gc.isenabled())
            raise KeyError

    pytest.raises(KeyError, fail)
    assert (seen, gc.isenabled()) == ([False], True)
