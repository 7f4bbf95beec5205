"""Tests what a channel shows against what it last accepted: seen twice, then mended by rule or by
hand."""

import pytest

from relvan.core.refusal import NotAllowed, Refused
from relvan.services.channels.settings import change_channel
from relvan.services.listings.drift import leave_drift, mend_drift
from relvan.services.listings.publish import publish_listings
from relvan.store.drifts import drift_rows
from tests.house import (
    add_pot,
    assert_sound,
    connect,
    count,
    deliver,
    list_everywhere,
    read,
)
from tests.snapshots import built_once
from tests.steps.drift import look, meddle
from tests.steps.every_channel import OWN, draft, ready


@built_once
def shop(workplace, owner, world):
    """Builds a pot, ten of it, on Hagglet and in the own shop."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    workplace.now.move(seconds=1)
    return workplace


@pytest.fixture
def everywhere(all_channels):
    return all_channels


def rows(shop, **more):
    with shop.database.reading() as session:
        return [
            (row.channel_key, row.topic, row.ours, row.theirs, row.how)
            for row in drift_rows(session, **more)
        ]


@pytest.mark.parametrize("key", OWN)
def test_what_we_have_just_told_is_no_drift_on_any_channel(everywhere, owner, world, key):
    listing_id = ready(everywhere, owner, key)
    publish_listings(everywhere, owner, [listing_id])
    deliver(everywhere)
    assert [look(everywhere, key).drifted for _ in range(3)] == [0, 0, 0], rows(
        everywhere, ended=False
    )
    with everywhere.database.reading() as session:
        assert drift_rows(session) == []


def test_a_price_changed_there_is_seen_confirmed_and_told_again_by_itself(shop, world):
    meddle(world, prices="11.11")
    assert look(shop).drifted == 0
    assert look(shop).drifted == 1
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["price"] == 1690
    assert rows(shop) == []
    assert rows(shop, ended=True) == [("ownshop", "price", "1690", "1111", "told again")]
    assert look(shop).drifted == 0
    assert_sound(shop)


def test_what_is_not_mended_by_itself_waits_for_a_person(shop, owner, world):
    change_channel(shop, owner, "ownshop", {"mends": []})
    meddle(world, prices="11.11", stock=3)
    look(shop)
    assert look(shop).drifted == 2
    assert look(shop).drifted == 0
    assert {row[1:4] for row in rows(shop)} == {("price", "1690", "1111"), ("quantity", "10", "3")}
    with shop.database.reading() as session:
        found = {row.topic: row.id for row in drift_rows(session)}
    assert mend_drift(shop, owner, [found["quantity"]]) == 1
    assert mend_drift(shop, owner, [found["quantity"]]) == 0
    assert leave_drift(shop, owner, [found["price"]]) == 1
    deliver(shop)
    shown = world.listings("ownshop")["PT-14"]
    assert (shown["quantity"], shown["price"]) == (10, 1111)
    look(shop)
    assert rows(shop) == []
    assert_sound(shop)
    meddle(world, prices="12.12")  # what was left is another now
    look(shop)
    look(shop)
    assert rows(shop) == [("ownshop", "price", "1690", "1212", "")]


def test_a_sale_that_we_have_not_read_yet_is_no_drift(shop, world):
    world.buy("ownshop", "PT-14", 2)
    assert look(shop).drifted == 0
    read(shop)
    deliver(shop)
    shop.now.move(seconds=1)
    assert [look(shop).drifted for _ in range(2)] == [0, 0]
    assert rows(shop, ended=True) == []


def test_what_goes_by_itself_comes_to_an_end(shop, world):
    meddle(world, stock=4)
    look(shop)
    meddle(world, stock=10)
    look(shop)
    look(shop)
    assert (rows(shop), world.listings("ownshop")["PT-14"]["quantity"]) == ([], 10)


def test_what_waits_to_be_told_is_not_compared(shop, owner, world):
    count(shop, owner, "PT-14", 7)
    assert [look(shop).drifted for _ in range(3)] == [0, 0, 0]
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 7


def test_a_pass_over_many_goes_on_where_the_last_look_stopped(shop, owner, world, monkeypatch):
    for number in range(4):
        add_pot(shop, owner, f"PX-{number}")
    list_everywhere(shop, owner, *(f"PX-{number}" for number in range(4)))
    shop.now.move(seconds=1)
    monkeypatch.setattr("relvan.services.listings.standing.pages_a_look", lambda rate, every: 1)
    book = shop.rulebooks.by_key["ownshop"]
    small = book.model_copy(update={"listings": book.listings.model_copy(update={"page": 2})})
    monkeypatch.setitem(shop.rulebooks.by_key, "ownshop", small)
    meddle(world, prices="11.11")
    looks = [look(shop) for _ in range(6)]
    assert [bool(one.after) for one in looks] == [True, True, False, True, True, False]
    assert sum(one.drifted for one in looks) == 1


def test_only_those_who_may_list_mend_and_nothing_is_asked_of_none(shop, owner, picker):
    with pytest.raises(NotAllowed):
        mend_drift(shop, picker, [1])
    with pytest.raises(Refused):
        leave_drift(shop, owner, [])
    with pytest.raises(Refused):
        change_channel(shop, owner, "ownshop", {"mends": ["weather"]})


def test_a_member_and_head_of_a_family_are_no_drift(everywhere, owner):
    listing_id = draft(everywhere, owner, "ownshop", add_pot(everywhere, owner, "PT-20"))
    publish_listings(everywhere, owner, [listing_id])
    deliver(everywhere)
    assert [look(everywhere).drifted for _ in range(2)] == [0, 0]
