"""Tests rules of the order desk as they run, and the trial on the last orders."""

from datetime import timedelta

import pytest

from relvan.core.orders.rules import Rule, RuleDeed, RuleEvent, RuleIf, RuleThen
from relvan.core.orders.trays import TrayForm
from relvan.core.refusal import Refused
from relvan.services.orders.aside import mind_the_desk
from relvan.services.orders.cancel import move_orders
from relvan.services.orders.release import release_orders
from relvan.services.orders.rule_book import (
    delete_rule,
    order_rules,
    rule_of,
    save_rule,
    try_rules,
)
from relvan.services.orders.trays import create_tray
from relvan.store.history import history
from relvan.store.notices import notices_of
from relvan.store.orders import order_by_number
from relvan.store.trays import rules_of, tags_of
from tests.house import assert_sound, read, receive
from tests.steps.orders import one, take


def rule(workplace, owner, when, *then, name="Rule", **more):
    found = tuple(RuleThen(RuleDeed(deed), *value) for deed, *value in then)
    return save_rule(workplace, owner, Rule(name, RuleEvent(when), found, **more))


def log_of(workplace, number):
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        return [(row.via, row.deed) for row in history(session, "order", order.id)]


def noted(workplace, number):
    with workplace.database.reading() as session:
        order = order_by_number(session, number)
        tags = tags_of(session, [order.id])[order.id]
        return tags, [notice.words for notice in notices_of(session, order.id)]


@pytest.fixture
def asking(desk, owner):
    create_tray(desk, owner, TrayForm("Ask"))
    create_tray(desk, owner, TrayForm("Later"))
    return desk


def test_what_is_reserved_whole_can_be_released_by_itself(desk, owner):
    rule(desk, owner, "reserved", ("release",), name="Off it goes")
    number = take(desk, owner, ("PT-14", 2))
    assert (one(desk, number).tray, one(desk, number).words) == (
        "floor",
        "2 of 2 to pick, not invoiced, paid",
    )
    assert ("rule “Off it goes”", "released as S-1001") in log_of(desk, number)
    short = take(desk, owner, ("PT-14", 9))
    assert one(desk, short).tray == "short"
    receive(desk, owner, "PT-14", 9)
    assert one(desk, short).tray == "floor"
    assert_sound(desk)


def test_rules_follow_what_other_rules_make_happen(asking, owner):
    rule(asking, owner, "reserved", ("release",), name="a")
    rule(asking, owner, "released", ("tag", "going"), ("move", "later"), name="b")
    number = take(asking, owner, ("PT-14", 1))
    assert one(asking, number).tray == "later"
    assert noted(asking, number)[0] == ["going"]


def test_an_order_that_is_short_is_noted_and_set_aside(desk, owner):
    aside = ("set-aside", "waits for goods", 2)
    rule(desk, owner, "short", aside, ("notify", "Ask the maker"), name="Short")
    number = take(desk, owner, ("PT-18", 5))
    row = one(desk, number)
    day = (desk.local_now().date() + timedelta(days=2)).isoformat()
    assert (row.aside_until, row.aside_reason) == (day, "waits for goods")
    assert noted(desk, number)[1] == ["Ask the maker"]


def test_a_later_rule_sees_what_an_earlier_one_has_done(asking, owner):
    rule(asking, owner, "taken", ("move", "ask"), name="first")
    rule(asking, owner, "taken", ("tag", "asked"), name="then", only=RuleIf(trays=("ask",)))
    rule(asking, owner, "taken", ("tag", "never"), name="not", only=RuleIf(trays=("inbox",)))
    number = take(asking, owner, ("PT-14", 1))
    assert noted(asking, number)[0] == ["asked"]


def test_the_order_of_rules_decides(asking, owner):
    first = rule(asking, owner, "taken", ("move", "ask"), name="first")
    second = rule(asking, owner, "taken", ("move", "later"), name="second")
    assert one(asking, take(asking, owner, ("PT-14", 1))).tray == "later"
    order_rules(asking, owner, [second, first])
    assert one(asking, take(asking, owner, ("PT-14", 1))).tray == "ask"
    with pytest.raises(Refused):
        order_rules(asking, owner, [second])


def test_a_rule_that_cannot_do_its_deed_stands_in_the_log_and_the_rest_goes_on(desk, owner):
    rule(desk, owner, "taken", ("release",), ("tag", "seen"), name="Too soon")
    number = take(desk, owner, ("PT-18", 5))
    assert noted(desk, number)[0] == ["seen"]
    told = [deed for via, deed in log_of(desk, number) if via == "rule “Too soon”"]
    assert any("not reserved in full" in deed for deed in told)


def test_a_rule_for_one_channel_leaves_the_others_alone(two_pots, owner, world):
    rule(two_pots, owner, "taken", ("tag", "market"), only=RuleIf(channels=("hagglet",)))
    rule(two_pots, owner, "cancelled-upstream", ("notify", "It was cancelled there"), name="gone")
    world.buy("hagglet", "PT-14")
    world.buy("ownshop", "PT-14")
    read(two_pots)
    rows = {
        row.channel_key: row.number for row in (one(two_pots, "O-1001"), one(two_pots, "O-1002"))
    }
    assert noted(two_pots, rows["hagglet"])[0] == ["market"]
    assert noted(two_pots, rows["ownshop"])[0] == []
    there = one(two_pots, rows["hagglet"]).channel_number
    world.client.post(f"/world/hagglet/orders/{there}/cancel").raise_for_status()
    read(two_pots)
    assert one(two_pots, rows["hagglet"]).tray == "cancelled"
    assert noted(two_pots, rows["hagglet"])[1] == ["It was cancelled there"]


def test_waiting_rules_run_once_each_time_an_order_comes_into_its_tray(asking, owner, clock):
    only = RuleIf(trays=("ask",))
    rule(asking, owner, "waited", ("notify", "Call them"), name="wait", days=2, only=only)
    number = take(asking, owner, ("PT-14", 1))
    move_orders(asking, owner, [number], "ask")
    clock.move(days=1)
    mind_the_desk(asking)
    assert noted(asking, number)[1] == []
    clock.move(days=1, minutes=1)
    mind_the_desk(asking)
    assert noted(asking, number)[1] == ["Call them"]
    rule_count = len(log_of(asking, number))
    mind_the_desk(asking)
    assert len(log_of(asking, number)) == rule_count


def test_a_waiting_rule_that_moves_an_order_starts_its_wait_anew(asking, owner, clock):
    ask = RuleIf(trays=("ask",))
    rule(asking, owner, "waited", ("move", "later"), name="on", days=2, only=ask)
    number = take(asking, owner, ("PT-14", 1))
    move_orders(asking, owner, [number], "ask")
    clock.move(days=3)
    mind_the_desk(asking)
    assert one(asking, number).tray == "later"
    assert one(asking, number).tray_since == asking.now()


def test_rules_that_go_round_in_a_circle_are_refused_by_name(asking, owner):
    rule(
        asking,
        owner,
        "waited",
        ("move", "later"),
        name="there",
        days=1,
        only=RuleIf(trays=("ask",)),
    )
    back = RuleIf(trays=("later",))
    with pytest.raises(Refused) as refused:
        rule(asking, owner, "waited", ("move", "ask"), name="back", days=1, only=back)
    assert "“there” → “back” → “there”" in refused.value.first.message
    off = rule(
        asking, owner, "waited", ("move", "ask"), name="back", days=1, only=back, active=False
    )
    with asking.database.reading() as session:
        saved = rule_of(session, off)
    with pytest.raises(Refused):
        save_rule(asking, owner, Rule(saved.name, saved.when, saved.then, saved.only, 1, True, off))


def test_the_trial_says_what_each_rule_would_do_and_changes_nothing(desk, owner):
    numbers = [take(desk, owner, ("PT-14", 1)), take(desk, owner, ("PT-14", 2), ("PT-18", 1))]
    rule(desk, owner, "taken", ("tag", "big"), name="Big", only=RuleIf(least_lines=2))
    tried = try_rules(desk)
    assert (tried.orders, [one.numbers for one in tried.rules]) == (2, [(numbers[1],)])
    assert tried.rules[0].kept == (("number of lines", 1),)
    unsaved = Rule("Dear", RuleEvent.PAID, (RuleThen(RuleDeed.TAG, "dear"),), RuleIf(at_least=3000))
    assert try_rules(desk, unsaved).rules[0].numbers == (numbers[1],)
    assert all(noted(desk, number) == ([], []) for number in numbers)


def test_a_deleted_rule_does_nothing_any_more(desk, owner):
    gone = rule(desk, owner, "taken", ("tag", "gift"))
    assert delete_rule(desk, owner, gone).name == "Rule"
    assert noted(desk, take(desk, owner, ("PT-14", 1)))[0] == []
    with desk.database.reading() as session:
        assert rules_of(session) == []


def test_rules_ask_as_much_of_the_database_for_one_order_as_for_many(
    two_pots, owner, world, count_queries
):
    def taking(orders):
        for _ in range(orders):
            world.buy("ownshop", "PT-18")
        with count_queries(two_pots.database) as counted:
            read(two_pots)
        return len(counted)

    plain = taking(4)
    rule(two_pots, owner, "reserved", ("notify", "seen"), only=RuleIf(channels=("hagglet",)))
    assert taking(4) <= plain + 5  # the rules, and four of what they ask of all orders together


def test_released_twice_a_rule_about_releasing_runs_once(desk, owner):
    rule(desk, owner, "released", ("notify", "going"), name="r")
    number = take(desk, owner, ("PT-14", 1))
    rule(desk, owner, "released", ("notify", "never"), name="off", active=False)
    release_orders(desk, owner, [number, number])
    release_orders(desk, owner, [number])
    assert noted(desk, number)[1] == ["going"]
    assert [deed for via, deed in log_of(desk, number) if via == "rule “r”"] == []
