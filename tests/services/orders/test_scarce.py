"""Tests who gets goods that are not enough: the alternatives, the choice, and the habit that it
becomes."""

import pytest

from relvan.core.refusal import NotAllowed, Refused
from relvan.services.channels.settings import change_channel
from relvan.services.orders.scarce import contest, serve_by_choice
from relvan.store.channels import channel_by_key, order_policy_of
from tests.house import assert_sound, count, orders, read, receive
from tests.steps.orders import one, take


@pytest.fixture
def scarce(desk, owner, clock):
    """Takes four orders for two goods of which there is nothing, and then receives a few."""
    count(desk, owner, "PT-14", 0)
    count(desk, owner, "PT-18", 0, "yard")
    for lines in ((("PT-14", 4), ("PT-18", 1)), (("PT-14", 3),), (("PT-14", 2),), (("PT-18", 2),)):
        clock.move(minutes=1)
        take(desk, owner, *lines)
    return desk


def told(found):
    return {
        (one.by, one.first): (one.served.whole, dict(one.amounts)) for one in found.alternatives
    }


def test_the_alternatives_stand_beside_each_other(scarce, owner):
    assert told(contest(scarce))["most", ""] == ((), {})
    with scarce.database.writing() as session:
        session.connection().exec_driver_sql("UPDATE balance SET on_hand = 5 WHERE product_id = 1")
    found = told(contest(scarce))
    assert found["age", ""] == (("O-1002", "O-1003"), {"EUR": 8450})
    assert found["most", ""] == (("O-1002", "O-1003"), {"EUR": 8450})
    assert [sku for sku, *_ in contest(scarce).goods] == ["PT-14", "PT-18"]


def test_a_choice_reserves_for_just_the_orders_that_it_serves(scarce, owner):
    receive(scarce, owner, "PT-18", 1, "yard")
    assert {row.tray for row in orders(scarce)} == {"short"}
    assert serve_by_choice(scarce, owner, "most") == []
    receive(scarce, owner, "PT-18", 1, "yard")
    assert one(scarce, "O-1004").tray == "inbox"
    assert_sound(scarce)


@pytest.mark.parametrize(
    ("habit", "served"),
    [("age", ["O-1001"]), ("most", ["O-1002", "O-1003"]), ("money", ["O-1002", "O-1003"])],
)
def test_goods_that_arrive_are_given_out_by_the_habit_of_the_channel(
    two_pots, owner, world, habit, served
):
    change_channel(two_pots, owner, "ownshop", {"orders": {"serve_by": habit}})
    for units in (4, 2, 2):
        world.buy("ownshop", "PT-14", units)
    count(two_pots, owner, "PT-14", 0)
    read(two_pots)
    assert {row.tray for row in orders(two_pots)} == {"short"}
    moved = receive(two_pots, owner, "PT-14", 4)
    assert sorted(moved.served) == served
    assert_sound(two_pots)


def test_an_order_with_a_promised_day_is_served_before_older_ones(scarce, owner):
    with scarce.database.writing() as session:
        session.connection().exec_driver_sql(
            "UPDATE customer_order SET promised_on = '2026-12-01' WHERE number = 'O-1003'"
        )
    assert receive(scarce, owner, "PT-14", 3).served == ("O-1003",)
    assert receive(scarce, owner, "PT-14", 2).served == ("O-1002",)


def test_a_choice_that_is_kept_becomes_the_habit_of_the_channels(two_pots, owner, world):
    world.buy("ownshop", "PT-14", 2)
    world.buy("hagglet", "PT-14", 1)
    count(two_pots, owner, "PT-14", 0)
    read(two_pots)
    serve_by_choice(two_pots, owner, "money", keep=True)
    with two_pots.database.reading() as session:
        habits = [
            order_policy_of(channel_by_key(session, key)).serve_by for key in ("ownshop", "hagglet")
        ]
    assert habits == ["money", "money"]


def test_one_channel_may_go_first(two_pots, owner, world):
    world.buy("ownshop", "PT-14", 2)
    world.buy("hagglet", "PT-14", 2)
    count(two_pots, owner, "PT-14", 0)
    read(two_pots)
    with two_pots.database.writing() as session:
        session.connection().exec_driver_sql("UPDATE balance SET on_hand = 3 WHERE product_id = 1")
    found = {row.channel_key: row.number for row in orders(two_pots)}
    assert told(contest(two_pots))["age", "hagglet"][0] == (found["hagglet"],)


def test_an_unknown_rule_is_refused_and_a_picker_chooses_nothing(scarce, owner, picker):
    with pytest.raises(Refused):
        serve_by_choice(scarce, owner, "luck")
    with pytest.raises(NotAllowed):
        serve_by_choice(scarce, picker, "age")
