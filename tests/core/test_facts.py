"""A product as flat facts, typed attributes, changes of many, the life of a bulk job."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.attributes import (
    AttributeAsk,
    AttributeKind,
    AttributeRule,
    asked_of,
    check_rule,
    settle_value,
)
from relvan.core.catalogue.bulk import Operation, carry_out
from relvan.core.catalogue.checks import check_product
from relvan.core.catalogue.facts import (
    difference,
    draft_from,
    earlier,
    facts_of,
    inherited,
    is_empty,
    with_facts,
)
from relvan.core.catalogue.product import (
    AliasFacts,
    CasePack,
    Part,
    ProductDraft,
    ProductKind,
    Size,
    Trait,
)
from relvan.core.jobs.life import LIFE, later_touched, next_state
from relvan.core.prices.margin import margin_of
from relvan.core.refusal import Refused

words = st.text(alphabet="abcXYZ 09-", min_size=1, max_size=10).map(str.strip).filter(bool)
amounts = st.integers(1, 10**6)
sizes = st.none() | st.builds(Size, *([st.integers(1, 900)] * 3))
drafts = st.builds(
    ProductDraft,
    sku=words,
    title=words,
    kind=st.just(ProductKind.KIT),
    brand=st.just("") | words,
    attributes=st.dictionaries(words, words, max_size=3),
    weight_g=st.none() | st.integers(1, 999),
    size=sizes,
    cost=st.none() | st.integers(0, 999),
    prices=st.dictionaries(st.sampled_from(["retail", "trade"]), amounts),
    breaks=st.dictionaries(
        st.just("trade"), st.dictionaries(st.integers(2, 9), amounts, min_size=1)
    ),
    parts=st.lists(st.builds(Part, words, st.integers(1, 9)), max_size=3).map(tuple),
    parts_apart=st.booleans(),
    case_pack=st.none()
    | st.builds(CasePack, st.integers(1, 99), st.none() | st.integers(1, 999), sizes),
    fragile=st.booleans(),
    minimum_order=st.none() | st.integers(1, 99),
    hs_code=st.just("") | st.just("691200"),
)


@given(drafts)
def test_a_draft_and_its_facts_say_the_same(draft):
    assert draft_from(facts_of(draft)) == draft


@given(drafts, drafts)
def test_a_difference_leads_from_one_to_the_other_and_back(one, other):
    old, new = facts_of(one), facts_of(other)
    changes = difference(old, new)
    assert with_facts(old, {name: pair[1] for name, pair in changes.items()}) == new
    assert earlier(new, [changes]) == old
    assert difference(old, old) == {}


def test_aliases_with_facts_and_traits_survive_too():
    draft = ProductDraft(
        "A",
        "T",
        kind=ProductKind.FAMILY,
        axes=(Trait("Glaze", ("Ink",)),),
        aliases=("B", "C"),
        alias_facts={"B": AliasFacts("Own", "", {"retail": 5})},
    )
    assert draft_from(facts_of(draft)) == draft


@pytest.mark.parametrize(
    ("own", "family", "whole"),
    [
        ({}, {"brand": "Q", "title": "T", "cost": 5}, {"brand": "Q"}),
        ({"brand": "X"}, {"brand": "Q"}, {"brand": "X"}),
        ({"length_mm": 5}, {"length_mm": 9, "width_mm": 9}, {"length_mm": 5}),
        (
            {"attribute a": "1"},
            {"attribute a": "2", "attribute b": "3"},
            {"attribute a": "1", "attribute b": "3"},
        ),
        ({"price trade": 5}, {"price retail": 9}, {"price trade": 5, "price retail": 9}),
    ],
)
def test_what_a_family_lends(own, family, whole):
    assert inherited(own, family) == whole


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"kind": ProductKind.VARIANT}, "family"),
        ({"family": "F"}, "family"),
        ({"kind": ProductKind.VARIANT, "family": "pt"}, "family"),
        ({"parts": (Part("X", 1),)}, "parts"),
        ({"kind": ProductKind.KIT, "parts": (Part("X", 0),)}, "parts"),
        ({"kind": ProductKind.KIT, "parts": (Part("X", 1), Part("x", 2))}, "parts"),
        ({"kind": ProductKind.KIT, "parts": (Part("PT", 1),)}, "parts"),
        ({"kind": ProductKind.FAMILY, "axes": tuple(Trait(str(n)) for n in range(4))}, "axes"),
        ({"kind": ProductKind.FAMILY, "axes": (Trait("A"), Trait("a"))}, "axes"),
        ({"kind": ProductKind.FAMILY, "axes": (Trait("A"),), "gtin": "4006381333931"}, "gtin"),
        ({"origin": "nl"}, "origin"),
        ({"origin": "NLD"}, "origin"),
        ({"hs_code": "12"}, "hs_code"),
        ({"minimum_order": 0}, "minimum_order"),
        ({"case_pack": CasePack(0)}, "case_quantity"),
        ({"category": "A //B"}, None),
        ({"category": "A /  / B"}, "category"),
        ({"breaks": {"r": {1: 5}}}, "price"),
    ],
)
def test_what_does_not_belong_to_a_kind_is_refused_beside_its_field(change, field):
    values = {"sku": "PT", "title": "A pot", **change}
    assert {refusal.field for refusal in check_product(ProductDraft(**values))} == (
        {field} if field else set()
    )


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


@pytest.mark.parametrize(
    ("operation", "before", "after"),
    [
        (Operation("cost", "percent", "10"), 500, 550),
        (Operation("cost", "percent", "-12,5 %"), 1000, 875),
        (Operation("cost", "more", "-9.99"), 500, None),
        (Operation("cost", "more", "0.50"), 500, 550),
        (Operation("cost", "percent", "10"), None, None),
        (Operation("weight_g", "more", "5"), 100, 105),
        (Operation("brand", "set", "Q"), "X", "Q"),
        (Operation("brand", "empty"), "X", None),
        (Operation("title", "replace", "pot", "bowl"), "A pot", "A bowl"),
        (Operation("title", "before", "New:"), "pot", "New: pot"),
        (Operation("title", "after", "x"), "pot", "pot x"),
        (Operation("fragile", "set", "yes"), None, True),
        (Operation("price retail", "set", "12,50"), None, 1250),
    ],
)
def test_an_operation_makes_of_a_fact_what_it_says(operation, before, after):
    facts = {"kind": "single"} | ({operation.fact: before} if before is not None else {})
    found = carry_out([operation], facts, "EUR").get(operation.fact)
    assert (None if is_empty(found) or found == 0 else found) == after


@pytest.mark.parametrize(
    ("change", "now", "undo", "touched"),
    [
        ({"cost": [5, 6]}, {"cost": 5}, False, []),
        ({"cost": [5, 6]}, {"cost": 6}, True, []),
        ({"cost": [5, 6]}, {"cost": 7}, False, ["cost"]),
        ({"cost": [None, 6]}, {}, False, []),
        ({"fragile": [None, True]}, {"fragile": False}, False, []),
        ({"brand": ["X", None]}, {"brand": ""}, True, []),
    ],
)
def test_what_was_touched_since_is_named(change, now, undo, touched):
    assert later_touched(change, now, undo=undo) == touched


def test_every_state_of_a_job_is_reached_and_leads_only_to_known_states():
    reached = {
        "to map",
        "reading",
        "running",
        *(state for events in LIFE.values() for state in events.values()),
    }
    assert reached == set(LIFE)


@pytest.mark.parametrize("state", sorted(LIFE))
@pytest.mark.parametrize("event", ["apply", "undo", "rehearse", "drop", "nonsense"])
def test_an_event_that_the_table_lacks_is_refused_and_says_what_is_possible(state, event):
    if event in LIFE[state]:
        assert next_state(state, event) in LIFE
        return
    with pytest.raises(Refused) as refused:
        next_state(state, event)
    assert refused.value.first.code == "wrong-state"
    assert state in refused.value.first.message
    assert event in refused.value.first.message


@pytest.mark.parametrize(
    ("amount", "cost", "tax", "inside", "words"),
    [
        (2400, 1000, "standard", True, "50.0 %"),
        (2400, 1200, "standard", False, "50.0 %"),
        (1000, 2000, "zero", True, "-100.0 %"),
        (1100, 500, "reduced", True, "50.0 %"),
    ],
)
def test_the_margin_of_a_list_price(amount, cost, tax, inside, words):
    assert margin_of(amount, cost, tax_code=tax, tax_inside=inside).words == words
