"""Tests how a channel's orders are taken in and routed, as it was set."""

import pytest

from relvan.core.orders.policy import USUAL, check_policy_wish, read_order_policy
from relvan.core.orders.routing_why import why_route
from relvan.core.orders.trays import TrayForm
from relvan.core.refusal import Refused
from relvan.services.channels.settings import change_channel
from relvan.services.orders.release import release_orders
from relvan.services.orders.trays import create_tray, delete_tray
from relvan.store.channels import channel_by_key, order_policy_of
from relvan.store.orders import order_by_number
from tests.house import assert_sound, deliver, orders, read, receive


def policy(workplace, owner, key="ownshop", **wish):
    change_channel(workplace, owner, key, {"orders": wish})


@pytest.mark.parametrize(
    ("unpaid", "taken", "released"),
    [("hold", True, "not-paid"), ("leave", False, ""), ("take", True, "")],
)
def test_unpaid_orders_are_held_left_out_or_taken_as_they_are(
    two_pots, owner, world, unpaid, taken, released
):
    policy(two_pots, owner, "hagglet", unpaid=unpaid)
    world.buy("hagglet", "PT-14", paid=False)
    read(two_pots)
    found = [row.number for row in orders(two_pots)]
    assert bool(found) == taken
    if taken:
        (verdict,) = release_orders(two_pots, owner, found)
        assert verdict.code == released
    assert_sound(two_pots)


@pytest.mark.parametrize(
    ("routing", "tray"), [("there", "inbox"), ("split", "inbox"), ("one", "short")]
)
def test_an_order_leaves_from_as_many_warehouses_as_its_channel_allows(
    two_pots, owner, world, routing, tray
):
    change_channel(two_pots, owner, "ownshop", {"supply_list": ["millrace", "yard"]})
    receive(two_pots, owner, "PT-14", 3, "yard")
    deliver(two_pots)
    policy(two_pots, owner, routing=routing, most=2)
    world.buy("ownshop", "PT-14", 12)
    read(two_pots)
    assert [row.tray for row in orders(two_pots)] == [tray]
    assert_sound(two_pots)


def test_orders_start_in_the_tray_of_their_channel_and_follow_it_when_it_is_deleted(
    two_pots, owner, world
):
    create_tray(two_pots, owner, TrayForm("Web"))
    policy(two_pots, owner, tray="web")
    world.buy("ownshop", "PT-14")
    world.buy("hagglet", "PT-14")
    read(two_pots)
    assert {row.channel_key: row.tray for row in orders(two_pots)} == {
        "ownshop": "web",
        "hagglet": "inbox",
    }
    delete_tray(two_pots, owner, "web", "short")
    with two_pots.database.reading() as session:
        assert order_policy_of(channel_by_key(session, "ownshop")).tray == "short"


def test_what_was_considered_is_kept_with_the_order(two_pots, owner, world):
    change_channel(two_pots, owner, "ownshop", {"supply_list": ["yard", "millrace"]})
    receive(two_pots, owner, "PT-14", 1, "yard")
    world.buy("ownshop", "PT-14", 4)
    read(two_pots)
    with two_pots.database.reading() as session:
        order = order_by_number(session, "O-1001")
        alone = [missing for _, missing in order.routed["alone"]]
    assert alone == [3, 0]


@pytest.mark.parametrize(
    ("wish", "field"),
    [
        ({"unpaid": "dream"}, "unpaid"),
        ({"routing": "all"}, "routing"),
        ({"serve_by": "luck"}, "serve_by"),
        ({"most": 0}, "most"),
        ({"most": "2"}, "most"),
        ({"prefer_near": "yes"}, "prefer_near"),
        ({"tray": "nowhere"}, "tray"),
        ({"tray": "cancelled"}, "tray"),
        ({"walls": 1}, "orders"),
    ],
)
def test_a_policy_that_cannot_be_is_refused_beside_its_field(two_pots, owner, wish, field):
    assert [one.field for one in check_policy_wish(wish, {"inbox", "cancelled"})] == [field]
    with pytest.raises(Refused):
        policy(two_pots, owner, **wish)


def test_a_policy_is_the_same_after_it_was_kept():
    assert read_order_policy(USUAL.as_dict()) == USUAL
    assert read_order_policy({}) == USUAL


NAMES = {1: "Millrace", 2: "Yard", 3: "Depot"}


@pytest.mark.parametrize(
    ("alone", "chosen", "near", "reason"),
    [
        ([[1, 0], [2, 0]], [1], False, "first in the list"),
        ([[1, 2], [2, 0]], [2], False, "the only one"),
        ([[1, 2], [2, 1]], [1, 2], False, "no one warehouse has all"),
        ([[1, 2], [2, 1], [3, 9], [4, 0]], [1, 2], True, "nearer in the list"),
        ([[1, 2], [2, 1]], [2], False, "the fewest units missing"),
        ([[1, 2]], [], False, "nothing is reserved"),
    ],
)
def test_the_why_says_what_each_warehouse_lacks_and_why_one_was_chosen(alone, chosen, near, reason):
    told = {"alone": alone, "policy": "split", "most": 2, "near": near}
    why = why_route(told, NAMES, chosen)
    assert reason in why.steps[-1].detail
    assert [step.value for step in why.steps[1:-1]] == [
        f"lacks {missing}" if missing else "has all of it" for _, missing in alone
    ]
