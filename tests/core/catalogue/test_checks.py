"""Tests what is wrong with facts: that checking what changes finds all that checking everything
would."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.checks import check_facts
from relvan.core.catalogue.facts import difference, group_of, is_empty, with_facts

# for every fact, values that stand alone and values that do not
GOOD = {
    "sku": ["PT-1", "Töpfe/7"],
    "title": ["Pot", "A “pot”"],
    "brand": ["Quillmoss"],
    "description": ["One\nTwo"],
    "gtin": ["4006381333931"],
    "category": ["Pots", "Pots / Indoors"],
    "tax_code": ["reduced"],
    "weight_g": [1, 700],
    "length_mm": [1, 90],
    "width_mm": [90],
    "height_mm": [90, 20_000],
    "cost": [0, 500],
    "floor": [0],
    "case_quantity": [6],
    "case_weight_g": [4_000],
    "minimum_order": [2],
    "supplier": ["Own workshop"],
    "origin": ["NL"],
    "hs_code": ["691200"],
    "fragile": [True],
    "aliases": [["OLD-1"], ["OLD-1", "OLD-2"]],
    "price retail": [1690],
    "break retail 10": [1500],
    "attribute material": ["clay"],
    "alias OLD-1": [{"title": "Old pot", "picture": "", "prices": {"retail": 1500}}],
    "kind": ["single", "service"],
}
WRONG = {
    "sku": ["x" * 65, " PT", "a\tb"],
    "title": ["x" * 201, "a\x00b", "   "],
    "brand": ["x" * 121],
    "gtin": ["123"],
    "category": ["A /  / B"],
    "tax_code": ["luxury"],
    "weight_g": [0, -1, 2_000_001],
    "length_mm": [0, 20_001],
    "cost": [-1],
    "floor": [-5],
    "case_quantity": [0],
    "minimum_order": [0],
    "origin": ["nl"],
    "hs_code": ["12"],
    "aliases": [["PT-1"], ["A", "a"], [" x"]],
    "price retail": [0, -1],
    "break retail 10": [0],
    "break retail 1": [5],
    "attribute material": ["x" * 401],
    "attribute ": ["x"],
    "alias OLD-1": [{"title": "x" * 201}],
    "kind": ["family"],
    "parts": [[["PT-1", 1]], [["B", 0]]],
    "axes": [[["Glaze", ["Ink"]]]],
    "family": ["F"],
}
START = {"sku": "PT-1", "title": "Pot", "kind": "single"}


def picked(table):
    return st.dictionaries(st.sampled_from(sorted(table)), st.integers(0, 9), max_size=6).map(
        lambda chosen: {
            name: table[name][number % len(table[name])] for name, number in chosen.items()
        }
    )


def fields(refusals):
    return {(refusal.field, refusal.message) for refusal in refusals}


def good_facts():
    """Returns facts that nothing is wrong with: sides come three together."""
    sides = ("length_mm", "width_mm", "height_mm")
    return (
        picked(GOOD)
        .map(
            lambda facts: (
                {**dict.fromkeys(sides, 90), **facts} if facts.keys() & set(sides) else facts
            )
        )
        .filter(lambda facts: facts.get("sku") not in facts.get("aliases", []))
    )


@given(good_facts())
def test_good_values_stand_together(facts):
    assert check_facts(with_facts(START, facts)) == []


@given(
    good_facts(), picked(GOOD), picked(WRONG), st.sets(st.sampled_from(sorted(GOOD)), max_size=3)
)
def test_checking_what_changes_finds_all_that_checking_everything_does(old, good, wrong, gone):
    before = with_facts(START, old)
    after = with_facts(before, {**dict.fromkeys(gone), **good, **wrong})
    changes = difference(before, after)
    assert fields(check_facts(after, changes)) == fields(check_facts(after))


@pytest.mark.parametrize(
    ("name", "value"), [(name, value) for name, values in WRONG.items() for value in values]
)
def test_each_wrong_value_is_refused_alone(name, value):
    refusals = check_facts({**START, name: value})
    assert refusals, f"{name} took {value!r}"
    assert all(refusal.message and refusal.field for refusal in refusals)


@pytest.mark.parametrize("name", ["sku", "title"])
def test_what_is_needed_is_missed_when_it_is_taken_away(name):
    facts = {key: value for key, value in START.items() if key != name}
    assert {refusal.field for refusal in check_facts(facts)} == {name}
    assert {refusal.field for refusal in check_facts(facts, [name])} == {name}


def test_what_was_wrong_before_is_no_obstacle_to_another_change():
    facts = {**START, "brand": "x" * 500, "cost": 600}
    assert check_facts(facts, ["cost"]) == []
    assert {refusal.field for refusal in check_facts(facts, ["brand"])} == {"brand"}


@pytest.mark.parametrize(
    ("before", "after", "changed"),
    [
        ({}, {"cost": 0}, {"cost": (None, 0)}),
        ({}, {"brand": "", "fragile": False, "aliases": []}, {}),
        ({"cost": 0}, {}, {"cost": (0, None)}),
        ({"cost": 0}, {"cost": None}, {"cost": (0, None)}),
        ({"fragile": True}, {"fragile": False}, {"fragile": (True, False)}),
        ({"brand": "A"}, {"brand": "a"}, {"brand": ("A", "a")}),
        ({"weight_g": 1}, {"weight_g": True}, {}),
    ],
)
def test_a_difference_knows_nothing_from_zero(before, after, changed):
    assert difference(before, after) == changed


@given(
    st.dictionaries(
        st.sampled_from(sorted(GOOD)),
        st.none() | st.just("") | st.just(0) | st.just([]) | st.just(5),
    )
)
def test_facts_that_say_nothing_are_never_kept(new):
    kept = with_facts(START, new)
    assert not any(is_empty(value) for value in kept.values())
    assert all(kept[name] == value for name, value in new.items() if not is_empty(value))


@pytest.mark.parametrize(
    ("name", "group"),
    [
        ("price retail", "price"),
        ("break trade 10", "break"),
        ("trait Glaze", "trait"),
        ("weight_g", "weight_g"),
        ("attribute depth of the rim", "attribute"),
        ("", ""),
    ],
)
def test_facts_there_can_be_many_of_have_a_group(name, group):
    assert group_of(name) == group
