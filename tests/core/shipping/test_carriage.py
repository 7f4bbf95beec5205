"""Tests which service carries a shipment by the seller's rules."""

from dataclasses import dataclass, replace
from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.packing.weighing import choose_service
from relvan.core.refusal import Refused
from relvan.core.shipping.carriage import (
    MOST_RULES,
    CarriageFacts,
    CarriageRule,
    Extras,
    KnownPlaces,
    RuleTake,
    check_carriage_rule,
    choose_carriage,
    refuse_too_many,
    take,
)
from relvan.core.shipping.carriage_words import carriage_words


@dataclass(frozen=True)
class Offer:
    service: str
    price: int
    arrives: str


SLOW = Offer("ostrel:slim", 420, "2026-12-05")
USUAL = Offer("ostrel:tracked", 590, "2026-12-03")
QUICK = Offer("merrowline:ten", 1_450, "2026-12-01")
OFFERS = [SLOW, USUAL, QUICK]
FACTS = CarriageFacts("IE", "D04 X2P1", "hagglet", "millrace", 900, 2_500, date(2026, 12, 3))
KNOWN = KnownPlaces(
    frozenset({"IE", "NL"}),
    frozenset({"hagglet"}),
    frozenset({"millrace"}),
    frozenset({"ostrel", "merrowline"}),
)


@pytest.mark.parametrize(
    ("only", "fits"),
    [
        ({}, True),
        ({"active": False}, False),
        ({"countries": ("NL", "IE")}, True),
        ({"countries": ("NL",)}, False),
        ({"postcodes": ("d0",)}, True),
        ({"postcodes": ("D04X",)}, True),
        ({"postcodes": ("D05",)}, False),
        ({"channels": ("hagglet",)}, True),
        ({"channels": ("none",)}, False),
        ({"warehouses": ("yard",)}, False),
        ({"least_g": 900, "most_g": 900}, True),
        ({"least_g": 901}, False),
        ({"most_g": 899}, False),
        ({"least_value": 2_501}, False),
        ({"most_value": 2_500}, True),
        ({"most_value": 2_500, "countries": ("NL",)}, False),
    ],
)
def test_a_rule_is_for_shipments_of_which_all_of_it_is_so(only, fits):
    assert CarriageRule("x", **only).fits(FACTS) is fits


def test_orders_by_hand_have_no_channel():
    by_hand = replace(FACTS, channel="")
    assert CarriageRule("x", channels=("none",)).fits(by_hand)
    assert not CarriageRule("x", channels=("hagglet",)).fits(by_hand)


@pytest.mark.parametrize(
    ("rule", "promised", "taken"),
    [
        ({"take": RuleTake.CHEAPEST}, None, SLOW),
        ({"take": RuleTake.FASTEST}, None, QUICK),
        ({"take": RuleTake.PROMISED}, date(2026, 12, 3), USUAL),
        ({"take": RuleTake.PROMISED}, date(2026, 11, 1), QUICK),
        ({"take": RuleTake.CHEAPEST, "services": ("ostrel:tracked",)}, None, USUAL),
        ({"take": RuleTake.CHEAPEST, "services": ("ostrel:bulky",)}, None, None),
        ({"take": RuleTake.NAMED, "services": ("ostrel:bulky", "merrowline:ten")}, None, QUICK),
        ({"take": RuleTake.NAMED, "services": ("ostrel:bulky",)}, None, None),
    ],
)
def test_a_rule_takes_what_it_says(rule, promised, taken):
    assert take(CarriageRule("x", **rule), OFFERS, promised) == taken


def choose(rules, offers=lambda extras: OFFERS, facts=FACTS):
    return choose_carriage(rules, facts, offers)


def test_the_first_rule_that_finds_a_service_chooses():
    none = CarriageRule("None", RuleTake.NAMED, ("ostrel:bulky",))
    fast = CarriageRule("Fast", RuleTake.FASTEST)
    chosen = choose([CarriageRule("NL", countries=("NL",)), none, fast])
    assert (chosen.offer, chosen.rule) == (QUICK, fast)


def test_where_no_rule_chooses_the_cheapest_in_time_is_taken():
    chosen = choose([CarriageRule("NL", countries=("NL",))])
    assert (chosen.offer, chosen.rule, chosen.extras) == (USUAL, None, Extras())
    assert choose([], lambda extras: []) is None


def test_what_a_rule_wants_besides_is_asked_for():
    rule = CarriageRule("Dear", RuleTake.CHEAPEST, signature=True, insured=True)
    asked = []

    def offers(extras):
        asked.append(extras)
        return [] if extras.insured else OFFERS

    chosen = choose([rule, replace(rule, name="Again"), CarriageRule("Rest")], offers)
    assert (chosen.offer, chosen.rule.name) == (USUAL, "Rest")
    assert asked == [Extras(True, True), Extras()], "each is asked for once"


@given(
    st.lists(
        st.builds(
            CarriageRule,
            name=st.just("x"),
            take=st.sampled_from(RuleTake),
            services=st.sets(st.sampled_from([one.service for one in OFFERS])).map(tuple),
            countries=st.sampled_from([(), ("IE",), ("NL",)]),
            most_g=st.one_of(st.none(), st.integers(0, 2_000)),
        ),
        max_size=5,
    ),
    st.lists(st.sampled_from(OFFERS), unique=True),
)
def test_rules_choose_among_what_is_offered_or_nothing_is(rules, offers):
    chosen = choose(rules, lambda extras: offers)
    assert (chosen is None) == (not offers)
    if chosen is not None:
        assert chosen.offer in offers
        if chosen.rule is None:
            assert chosen.offer == choose_service(offers, FACTS.promised)
        else:
            assert chosen.rule.fits(FACTS)
            assert not chosen.rule.services or chosen.offer.service in chosen.rule.services


@given(
    st.builds(
        CarriageRule,
        name=st.text(max_size=20),
        take=st.sampled_from(RuleTake),
        services=st.lists(st.text(max_size=5)).map(tuple),
        postcodes=st.lists(st.text(max_size=5)).map(tuple),
        least_g=st.one_of(st.none(), st.integers(0, 9)),
        insured=st.booleans(),
        id=st.integers(0, 9),
    )
)
def test_a_rule_is_read_as_it_was_written(rule):
    assert CarriageRule.read(rule.as_dict(), rule.id) == rule


@pytest.mark.parametrize(
    ("rule", "fields"),
    [
        ({}, []),
        ({"name": " "}, ["name"]),
        ({"name": "x" * 81}, ["name"]),
        ({"countries": ("XX",)}, ["countries"]),
        ({"channels": ("none", "hagglet")}, []),
        ({"channels": ("corvello",)}, ["channels"]),
        ({"warehouses": ("moon",)}, ["warehouses"]),
        ({"warehouses": ("millrace",) * 61}, ["warehouses"]),
        ({"postcodes": (" ",)}, ["postcodes"]),
        ({"services": ("ostrel:tracked",)}, []),
        ({"services": ("haulwell:pallet",)}, ["services"]),
        ({"services": ("ostrel:",)}, ["services"]),
        ({"take": RuleTake.NAMED}, ["services"]),
        ({"least_g": -1}, ["least_g"]),
        ({"least_g": 5, "most_g": 4}, ["least_g"]),
        ({"least_value": 5, "most_value": 4}, ["least_value"]),
    ],
)
def test_a_rule_that_cannot_be_is_refused_by_its_field(rule, fields):
    found = check_carriage_rule(CarriageRule(**{"name": "Usual", **rule}), KNOWN)
    assert [refusal.field for refusal in found] == fields


def test_there_are_at_most_a_hundred_rules():
    refuse_too_many(MOST_RULES - 1)
    with pytest.raises(Refused, match="which is the most"):
        refuse_too_many(MOST_RULES)


@pytest.mark.parametrize(
    ("rule", "words"),
    [
        ({}, "Everything: the cheapest that arrives by the promised day, else the fastest."),
        (
            {"channels": ("hagglet", "none"), "warehouses": ("millrace",)},
            "Sold on Hagglet, orders by hand, leaving Millrace: "
            "the cheapest that arrives by the promised day, else the fastest.",
        ),
        (
            {"take": RuleTake.NAMED, "services": ("a:b", "a:c"), "insured": True},
            "Everything: the first of A: Door; a:c that serves, insured.",
        ),
        (
            {"take": RuleTake.CHEAPEST, "services": ("a:b",), "most_g": 5, "postcodes": ("F2",)},
            "Postcodes that begin with F2, up to 5 g: the cheapest of A: Door.",
        ),
        (
            {"take": RuleTake.FASTEST, "least_value": 1, "most_value": 2},
            "Worth from 1 to 2: the fastest.",
        ),
    ],
)
def test_a_rule_is_said_in_words(rule, words):
    said = carriage_words(
        CarriageRule("x", **rule),
        {"hagglet": "Hagglet"},
        {"millrace": "Millrace"},
        {"a:b": "A: Door"},
        str,
    )
    assert said == words
