"""What a transaction changes is followed by the stations above, once, before it is saved."""

from datetime import UTC, datetime, timedelta

import pytest

from relvan.services.changes import Changes, StockMoved, changes_of
from relvan.services.open import STATIONS
from relvan.services.stations import Stations
from relvan.services.workplace import Workplace
from relvan.store.people import active_people


class Watcher:
    """A station that writes down what it was called for."""

    def __init__(self, name, told):
        self.name, self.told = name, told

    def __call__(self, session, _workplace, changes):
        self.told.append((self.name, changes.take_moved().product_ids, len(active_people(session))))


@pytest.fixture
def watched(workplace):
    """Builds a workplace on the same database, followed by two stations, and what they were
    told."""
    told = []
    place = Workplace(
        workplace.settings, Stations(followers=(Watcher("first", told), Watcher("second", told)))
    )
    yield place, told
    place.close()


def test_each_follower_is_called_once_in_order_before_the_transaction_is_saved(watched):
    place, told = watched
    with place.database.writing() as session:
        changes_of(session).stock_moved([1, 2])
        changes_of(session).stock_moved([2, 3])
        assert told == []
    assert [(name, set(ids)) for name, ids, _ in told] == [("first", {1, 2, 3}), ("second", set())]


def test_what_was_followed_on_request_is_not_followed_again(watched):
    place, told = watched
    with place.database.writing() as session:
        changes_of(session).stock_moved([7])
        place.bring_along(session)
    assert [set(ids) for _, ids, _ in told] == [{7}, set(), set(), set()]


def test_a_transaction_that_fails_is_followed_by_nobody(watched):
    place, told = watched

    def change_and_break():
        with place.database.writing() as session:
            changes_of(session).stock_moved([7])
            raise RuntimeError("broken")

    with pytest.raises(RuntimeError, match="broken"):
        change_and_break()
    assert told == []


def test_a_follower_that_fails_takes_the_change_with_it(workplace):
    def fail(_session, _workplace, _changes):
        raise RuntimeError("cannot follow")

    place = Workplace(workplace.settings, Stations(followers=(fail,)))
    with place.database.reading() as session:
        before = [person.name for person in active_people(session)]
    with pytest.raises(RuntimeError, match="cannot follow"), place.database.writing() as session:
        active_people(session)[0].name = "Somebody else"
    with place.database.reading() as session:
        assert [person.name for person in active_people(session)] == before
    place.close()


def test_joined_changes_keep_the_earlier_sale_and_all_that_was_sold():
    late = datetime(2026, 5, 4, 12, tzinfo=UTC)
    early = late - timedelta(hours=1)
    joined = StockMoved(frozenset({1}), late, frozenset({(1, 1)})).joined(
        StockMoved(frozenset({2}), early, frozenset({(2, 2)}))
    )
    assert joined == StockMoved(frozenset({1, 2}), early, frozenset({(1, 1), (2, 2)}))


def test_changes_that_were_taken_are_gone():
    changes = Changes()
    changes.products_changed([4], "a test")
    changes.stock_moved([5], freed=True)
    assert changes.take_products() == ({4}, "a test")
    assert changes.take_products() == (set(), "")
    assert changes.take_freed() == {5}
    assert changes.take_freed() == set()


def test_orders_that_wait_are_served_before_listings_show_what_is_left():
    assert [follow.__name__ for follow in STATIONS.followers] == [
        "serve_waiting_orders",
        "follow_rules",
        "follow_with_mail",
        "bring_listings_along",
    ]
