"""Typed attributes, their definitions, and what categories recommend."""

import pytest

from relvan.core.catalogue.attributes import (
    AttributeAsk,
    AttributeKind,
    AttributeRule,
    asked_of,
    check_rule,
    settle_value,
)
from relvan.core.refusal import Refused

RULES = {
    "text": AttributeRule("T"),
    "number": AttributeRule("N", AttributeKind.NUMBER, "cm"),
    "one": AttributeRule("O", AttributeKind.ONE_OF, choices=("red", "blue")),
    "several": AttributeRule("S", AttributeKind.SEVERAL_OF, choices=("a", "b", "c")),
    "yes": AttributeRule("Y", AttributeKind.YES_NO),
    "date": AttributeRule("D", AttributeKind.DATE),
}


@pytest.mark.parametrize(
    ("rule", "text", "kept"),
    [
        ("text", " x ", "x"),
        ("number", "14 cm", "14"),
        ("number", "1,50", "1.5"),
        ("number", "-3", "-3"),
        ("number", "big", None),
        ("number", "NaN", None),
        ("number", "1e40", None),
        ("one", "RED", "red"),
        ("one", "green", None),
        ("several", "c; A", "a; c"),
        ("several", "a,b", "a; b"),
        ("several", "a;x", None),
        ("yes", "True", "yes"),
        ("yes", "0", "no"),
        ("yes", "maybe", None),
        ("date", "2026-03-31", "2026-03-31"),
        ("date", "2026-02-30", None),
        ("date", "31.3.26", None),
        ("one", "", ""),
    ],
)
def test_an_attribute_is_kept_in_one_form(rule, text, kept):
    if kept is None:
        with pytest.raises(Refused) as refused:
            settle_value(RULES[rule], text)
        assert refused.value.first.field == "attributes"
    else:
        assert settle_value(RULES[rule], text) == kept
        assert settle_value(RULES[rule], kept) == kept


@pytest.mark.parametrize(
    ("rule", "field"),
    [
        (AttributeRule(""), "name"),
        (AttributeRule("A", AttributeKind.ONE_OF), "choices"),
        (AttributeRule("A", AttributeKind.ONE_OF, choices=("a", "A")), "choices"),
        (AttributeRule("A", AttributeKind.SEVERAL_OF, choices=("a;b",)), "choices"),
        (AttributeRule("A", choices=()), None),
    ],
)
def test_a_definition_that_makes_no_sense_is_refused(rule, field):
    assert {refusal.field for refusal in check_rule(rule)} == ({field} if field else set())


def test_a_category_asks_for_what_those_above_it_ask_for():
    asks = {
        "pots": [AttributeAsk("Material"), AttributeAsk("Use", False)],
        "pots / indoors": [AttributeAsk("Use", True)],
    }
    assert asked_of("Pots / Indoors", asks)["Use"].needed
    assert not asked_of("Pots", asks)["Use"].needed
    assert asked_of("", asks) == {}
