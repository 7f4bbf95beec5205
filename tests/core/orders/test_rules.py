"""Tests when a rule of the order desk is for an order, and which rules are refused."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.facts import Extent
from relvan.core.orders.rule_checks import check_order_rule, circle_of, refuse_circle
from relvan.core.orders.rule_words import in_words
from relvan.core.orders.rules import (
    Rule,
    RuleDeed,
    RuleEvent,
    RuleFacts,
    RuleIf,
    RuleThen,
    plain_rule,
    read_rule,
    tag_of,
    why_not,
)
from relvan.core.refusal import Refused

TRAYS = {
    "inbox": "Inbox",
    "ask": "Ask the customer",
    "desk": "On my desk",
    "cancelled": "Cancelled",
}
CHANNELS = {"hagglet": "Hagglet", "ownshop": "Own shop"}
FACTS = RuleFacts(
    "O-1",
    "hagglet",
    "NL",
    "inbox",
    12_000,
    3,
    {
        "reserved": Extent.ALL,
        "picked": Extent.NONE,
        "shipped": Extent.NONE,
        "invoiced": Extent.NONE,
        "paid": Extent.PART,
    },
    frozenset({"gift"}),
    4,
)


def rule(when, *then, name="Rule", **more):
    return Rule(name, RuleEvent(when), then, **more)


def move(tray):
    return RuleThen(RuleDeed.MOVE, tray)


@pytest.mark.parametrize(
    ("only", "hindrance"),
    [
        (RuleIf(), ""),
        (RuleIf(channels=("ownshop", "hagglet")), ""),
        (RuleIf(channels=("ownshop",)), "channel"),
        (RuleIf(countries=("CH",)), "country"),
        (RuleIf(trays=("desk",)), "tray"),
        (RuleIf(tags=("gift", "late")), ""),
        (RuleIf(tags=("late",)), "tag"),
        (RuleIf(at_least=12_000, at_most=12_000), ""),
        (RuleIf(at_least=12_001), "amount"),
        (RuleIf(at_most=11_999), "amount"),
        (RuleIf(least_lines=4), "number of lines"),
        (RuleIf(most_lines=2), "number of lines"),
        (RuleIf(progress={"paid": ("none", "part")}), ""),
        (RuleIf(progress={"paid": ("all",), "reserved": ("all",)}), "progress: paid"),
    ],
)
def test_a_rule_tells_what_keeps_it_from_an_order(only, hindrance):
    assert why_not(rule("taken", move("ask"), only=only), FACTS) == hindrance


@pytest.mark.parametrize(("days", "hindrance"), [(4, ""), (5, "days in its tray")])
def test_a_rule_about_waiting_asks_how_long_an_order_has_lain_in_its_tray(days, hindrance):
    assert why_not(rule("waited", move("ask"), days=days), FACTS) == hindrance


SET_ASIDE = RuleThen(RuleDeed.SET_ASIDE, "waits for the customer", 3)


@pytest.mark.parametrize(
    ("wrong", "code", "field"),
    [
        (rule("taken"), "missing", "then"),
        (rule("taken", move("nowhere")), "not-found", "then"),
        (rule("taken", move("cancelled")), "not-found", "then"),
        (rule("taken", move("")), "missing", "then"),
        (rule("taken", move("ask"), name=" "), "form", "name"),
        (rule("taken", move("ask"), name="n" * 81), "form", "name"),
        (rule("waited", move("ask")), "out-of-range", "days"),
        (rule("taken", RuleThen(RuleDeed.SET_ASIDE, "why", 0)), "out-of-range", "then"),
        (rule("taken", RuleThen(RuleDeed.TAG, "Two words")), "form", "then"),
        (rule("taken", RuleThen(RuleDeed.NOTIFY, "w" * 201)), "too-long", "then"),
        (rule("taken", move("ask"), only=RuleIf(trays=("gone",))), "not-found", "trays"),
        (rule("taken", move("ask"), only=RuleIf(channels=("gone",))), "not-found", "channels"),
        (rule("taken", move("ask"), only=RuleIf(countries=("Holland",))), "form", "countries"),
        (rule("taken", move("ask"), only=RuleIf(at_least=5, at_most=4)), "out-of-range", "at_most"),
        (
            rule("taken", move("ask"), only=RuleIf(progress={"packed": ("all",)})),
            "not-allowed",
            "progress",
        ),
        (
            rule("taken", move("ask"), only=RuleIf(progress={"paid": ("half",)})),
            "not-allowed",
            "progress",
        ),
    ],
)
def test_a_rule_that_cannot_be_is_refused_beside_its_field(wrong, code, field):
    found = check_order_rule(wrong, TRAYS, CHANNELS)
    assert (code, field) in {(refusal.code, refusal.field) for refusal in found}


def test_a_rule_that_can_be_is_taken():
    only = RuleIf(
        ("none", "hagglet"), ("NL",), ("inbox",), ("gift",), 1, 2, 1, 2, {"paid": ("all",)}
    )
    good = rule("waited", move("ask"), SET_ASIDE, RuleThen(RuleDeed.RESERVE), only=only, days=2)
    assert check_order_rule(good, TRAYS, CHANNELS) == []


TO_ASK = rule("waited", move("ask"), name="ask", days=2, only=RuleIf(trays=("desk",)))
TO_DESK = rule("waited", move("desk"), name="back", days=2, only=RuleIf(trays=("ask",)))


@pytest.mark.parametrize(
    ("rules", "names"),
    [
        ([TO_ASK], []),
        ([TO_ASK, TO_DESK], ["ask", "back"]),
        ([rule("waited", move("ask"), name="again", days=1)], ["again"]),
        ([rule("reserved", RuleThen(RuleDeed.RESERVE), name="self")], ["self"]),
        (
            [
                rule("released", RuleThen(RuleDeed.INVOICE), name="a"),
                rule("invoiced", RuleThen(RuleDeed.RELEASE), name="b"),
            ],
            ["a", "b"],
        ),
        (
            [
                rule("taken", RuleThen(RuleDeed.RESERVE), name="a"),
                rule("reserved", RuleThen(RuleDeed.RELEASE), name="b"),
                rule("released", RuleThen(RuleDeed.INVOICE), name="c"),
                rule("invoiced", move("ask"), name="d"),
            ],
            [],
        ),
        ([TO_ASK, Rule("back", TO_DESK.when, TO_DESK.then, TO_DESK.only, 2, active=False)], []),
    ],
)
def test_rules_that_set_each_other_off_in_a_circle_are_found(rules, names):
    assert [one.name for one in circle_of(rules)] == names


def test_a_circle_is_refused_by_the_names_of_its_rules():
    with pytest.raises(Refused) as refused:
        refuse_circle([TO_ASK, TO_DESK])
    assert "“ask” → “back” → “ask”" in refused.value.first.message


events = st.sampled_from(RuleEvent)
deeds = st.builds(RuleThen, st.sampled_from(RuleDeed), st.sampled_from(["ask", "desk"]))
some_rules = st.lists(
    st.builds(
        lambda when, then, trays, at: rule(
            when, *then, name=f"r{at}", days=1, only=RuleIf(trays=tuple(trays))
        ),
        events,
        st.lists(deeds, min_size=1, max_size=2),
        st.lists(st.sampled_from(["ask", "desk"]), max_size=1),
        st.integers(0, 99),
    ),
    max_size=6,
)


@given(some_rules)
def test_rules_without_a_circle_end_whatever_happens(rules):
    """Follows every way in which one event can set off the next, as far as the number of rules."""
    if circle_of(rules):
        return
    leads = {
        RuleDeed.MOVE: {RuleEvent.WAITED},
        RuleDeed.RESERVE: {RuleEvent.RESERVED, RuleEvent.SHORT},
        RuleDeed.RELEASE: {RuleEvent.RELEASED},
        RuleDeed.INVOICE: {RuleEvent.INVOICED},
    }
    # (event, tray): what has happened, and where the order lies if a rule has moved it
    going = {(event, None) for event in RuleEvent}
    for _ in range(len(rules) + 1):
        following = set()
        for event, tray in going:
            for one in rules:
                if one.when != event or (tray and one.only.trays and tray not in one.only.trays):
                    continue
                moved = [then.value for then in one.then if then.deed == RuleDeed.MOVE]
                to = moved[-1] if moved else None
                following |= {
                    (caused, to) for then in one.then for caused in leads.get(then.deed, ())
                }
        going = following
    assert not going


def test_a_rule_is_the_same_after_it_was_kept_as_plain_data():
    only = RuleIf(
        ("none",), ("NL", "CH"), (), ("gift",), 100, None, None, 4, {"paid": ("none", "part")}
    )
    kept = rule("waited", move("ask"), SET_ASIDE, only=only, days=3, active=False)
    assert read_rule(json.loads(json.dumps(plain_rule(kept)))) == kept


def test_a_rule_is_told_in_one_sentence():
    only = RuleIf(
        ("hagglet", "none"),
        ("NL",),
        ("inbox",),
        (),
        5_000,
        None,
        2,
        None,
        {"paid": ("none", "part")},
    )
    told = in_words(
        rule("waited", move("ask"), SET_ASIDE, only=only, days=1),
        TRAYS,
        CHANNELS,
        lambda amount: f"€{amount / 100:.2f}",
    )
    assert told == (
        "When it has waited 1 day in its tray, if it is from Hagglet or no channel and it goes to NL"
        " and it lies in Inbox and it is worth €50.00 or more and it has 2 lines or more"
        " and it is paid not at all or in part:"
        " move it to Ask the customer and set it aside because of “waits for the customer” for 3 days."
    )


@pytest.mark.parametrize(
    ("text", "tag"),
    [("Gift", "gift"), (" B2B / Net 30 ", "b2b-net-30"), ("!!", ""), ("é" * 40, "é" * 30)],
)
def test_a_text_becomes_a_tag(text, tag):
    assert tag_of(text) == tag
