"""Tests facts that have a key: their names are put together and read in one place, both ways
alike."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.keyed import Keyed, break_fact, break_place, kind_of_fact

KEYS = st.text(min_size=1, max_size=30)


@given(st.sampled_from(list(Keyed)), KEYS)
def test_a_name_is_read_as_it_was_put_together(kind, key):
    name = kind.fact(key)
    assert kind_of_fact(name) == kind
    assert kind.key(name) == key
    assert [other for other in Keyed if other.has(name)] == [kind]


@given(st.dictionaries(KEYS, st.integers()), st.sampled_from(list(Keyed)))
def test_values_by_key_come_back_from_the_facts_and_nothing_else_does(values, kind):
    facts = {"weight_g": 400, "aliases": ["OLD-1"], **kind.named(values)}
    assert kind.of(facts) == values
    assert kind.without(facts) == {"weight_g": 400, "aliases": ["OLD-1"]}


@given(KEYS, st.integers(2, 10_000))
def test_a_break_names_its_list_and_its_units(list_key, least):
    assert break_place(break_fact(list_key, least)) == (list_key, least)


@pytest.mark.parametrize("name", ["", "price", "prices", "aliases", "weight_g", "Price retail"])
def test_other_facts_have_no_key(name):
    assert kind_of_fact(name) is None
    assert [kind.key(name) for kind in Keyed] == [""] * len(Keyed)
