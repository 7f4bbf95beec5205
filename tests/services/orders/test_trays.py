"""Tests trays as data: creating, renaming, ordering and deleting them, also under rules."""

import pytest

from relvan.core.orders.rules import Rule, RuleDeed, RuleEvent, RuleIf, RuleThen
from relvan.core.orders.trays import TrayForm
from relvan.core.refusal import NotAllowed, Refused
from relvan.services.orders.cancel import move_orders
from relvan.services.orders.rule_book import save_rule
from relvan.services.orders.trays import (
    change_tray,
    create_tray,
    delete_tray,
    order_trays,
    use_of_tray,
)
from relvan.store.trays import rules_of, trays_of
from tests.house import assert_sound
from tests.steps.orders import one, take

ASK = TrayForm("Ask the customer", "rose", 3, "We have a question about your order.")


def keys(workplace):
    with workplace.database.reading() as session:
        return [row.key for row in trays_of(session)]


def refused_by(call, *given, **more):
    with pytest.raises(Refused) as refused:
        call(*given, **more)
    return refused.value.first


def test_a_new_tray_lies_before_closed_and_orders_can_be_moved_there(desk, owner):
    assert create_tray(desk, owner, ASK) == "ask-the-customer"
    assert keys(desk) == ["inbox", "floor", "short", "ask-the-customer", "closed", "cancelled"]
    number = take(desk, owner, ("PT-14", 1))
    assert move_orders(desk, owner, [number], "ask-the-customer")[0].ok
    assert one(desk, number).tray == "ask-the-customer"
    assert desk.tray_names()["ask-the-customer"] == ("Ask the customer", "rose")


def test_an_order_stays_in_a_tray_of_ones_own_until_somebody_moves_it(desk, owner):
    create_tray(desk, owner, ASK)
    number = take(desk, owner, ("PT-14", 9))
    move_orders(desk, owner, [number], "ask-the-customer")
    take(desk, owner, ("PT-14", 1))
    assert one(desk, number).tray == "ask-the-customer"


def test_a_tray_that_repeats_progress_is_refused_unless_it_is_wanted_anyway(desk, owner):
    refusal = refused_by(create_tray, desk, owner, TrayForm("Shipped"))
    assert (refusal.code, refusal.field) == ("repeats-progress", "name")
    assert create_tray(desk, owner, TrayForm("Shipped"), anyway=True) == "shipped"


def test_two_trays_never_share_a_name_nor_a_key(desk, owner):
    create_tray(desk, owner, ASK)
    assert refused_by(create_tray, desk, owner, TrayForm("ask the CUSTOMER")).code == "taken"
    change_tray(desk, owner, "ask-the-customer", TrayForm("Questions"))
    assert refused_by(create_tray, desk, owner, ASK).code == "taken"


def test_a_renamed_tray_keeps_its_orders_and_its_rules(desk, owner):
    create_tray(desk, owner, ASK)
    number = take(desk, owner, ("PT-14", 1))
    move_orders(desk, owner, [number], "ask-the-customer")
    to_ask = (RuleThen(RuleDeed.MOVE, "ask-the-customer"),)
    save_rule(desk, owner, Rule("Big ones", RuleEvent.TAKEN, to_ask))
    change_tray(desk, owner, "ask-the-customer", TrayForm("Questions", "moss"))
    assert one(desk, number).tray == "ask-the-customer"
    assert one(desk, take(desk, owner, ("PT-14", 1))).tray == "ask-the-customer"
    assert desk.tray_names()["ask-the-customer"] == ("Questions", "moss")


def test_trays_are_put_in_an_order_that_names_each_once(desk, owner):
    create_tray(desk, owner, ASK)
    wanted = ["ask-the-customer", "inbox", "short", "floor", "closed", "cancelled"]
    order_trays(desk, owner, wanted)
    assert keys(desk) == wanted
    assert refused_by(order_trays, desk, owner, wanted[1:]).code == "not-allowed"
    assert keys(desk) == wanted


def test_a_tray_in_use_is_not_deleted_without_saying_where_its_orders_go(desk, owner):
    create_tray(desk, owner, ASK)
    number = take(desk, owner, ("PT-14", 1))
    move_orders(desk, owner, [number], "ask-the-customer")
    refusal = refused_by(delete_tray, desk, owner, "ask-the-customer")
    assert (refusal.code, "1 orders lie there" in refusal.message) == ("in-use", True)
    for to in ("ask-the-customer", "cancelled", "nowhere"):
        assert refused_by(delete_tray, desk, owner, "ask-the-customer", to).code == "not-allowed"
    assert delete_tray(desk, owner, "ask-the-customer", "inbox") == 1
    assert one(desk, number).tray == "inbox"
    assert "ask-the-customer" not in keys(desk)
    assert_sound(desk)


def test_rules_that_name_a_deleted_tray_name_the_other_one(desk, owner):
    create_tray(desk, owner, ASK)
    then = (RuleThen(RuleDeed.MOVE, "ask-the-customer"),)
    save_rule(desk, owner, Rule("To ask", RuleEvent.PAID, then))
    only = RuleIf(trays=("ask-the-customer", "short"))
    tag = (RuleThen(RuleDeed.TAG, "gift"),)
    save_rule(desk, owner, Rule("From ask", RuleEvent.PAID, tag, only))
    assert len(use_of_tray(desk, "ask-the-customer").rules) == 2
    delete_tray(desk, owner, "ask-the-customer", "short")
    with desk.database.reading() as session:
        first, second = rules_of(session)
    assert first.then == (RuleThen(RuleDeed.MOVE, "short"),)
    assert second.only.trays == ("short",)


@pytest.mark.parametrize("key", ["inbox", "floor", "short", "closed", "cancelled"])
def test_the_first_five_trays_stay(desk, owner, key):
    assert refused_by(delete_tray, desk, owner, key, "inbox").code == "in-use"


def test_who_may_not_change_orders_changes_no_tray(desk, picker):
    with pytest.raises(NotAllowed):
        create_tray(desk, picker, ASK)
    with pytest.raises(NotAllowed):
        delete_tray(desk, picker, "inbox", "short")
