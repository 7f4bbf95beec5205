"""Tests the rules of families: combinations, proposals, patterns."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.families import (
    LooseProduct,
    check_traits,
    combination_key,
    fill_pattern,
    generate,
    propose,
    shared_title,
    widen,
)
from relvan.core.catalogue.product import Trait
from relvan.core.refusal import Refused

AXES = (Trait("Glaze", ("Ink", "Oat")), Trait("Size", ("9 cm",)))


@pytest.mark.parametrize(
    ("traits", "words"),
    [
        ({"Glaze": "Ink", "Size": "9 cm"}, []),
        ({"glaze": "Ink", "SIZE": "9 cm"}, []),
        ({"Glaze": "Ink"}, ["no value for “Size”"]),
        ({"Glaze": " ", "Size": "9 cm"}, ["no value for “Glaze”"]),
        ({"Glaze": "Ink", "Size": "9 cm", "Lid": "yes"}, ["no trait of the family"]),
    ],
)
def test_a_variant_has_a_value_on_every_trait_and_on_no_other(traits, words):
    found = check_traits("A", AXES, traits)
    assert len(found) == len(words)
    assert all(part in refusal.message for part, refusal in zip(words, found, strict=True))


names = st.sampled_from(["Ink", "INK", "ink ", "Oat", "oat"])


@given(names, names)
def test_combinations_are_the_same_without_regard_to_case_and_space(one, other):
    same = one.strip().casefold() == other.strip().casefold()
    keys = [combination_key(AXES, {"Glaze": value, "Size": "9 cm"}) for value in (one, other)]
    assert (keys[0] == keys[1]) == same


def test_widening_adds_what_is_new_at_the_end_and_nothing_twice():
    wide = widen(AXES, {"glaze": "Rust", "Size": "9 CM"})
    assert [trait.values for trait in wide] == [("Ink", "Oat", "Rust"), ("9 cm",)]


@pytest.mark.parametrize(
    ("titles", "attributes", "traits", "first"),
    [
        (["Pot, ink glaze, 9 cm", "Pot, oat glaze, 14 cm"], [{}, {}], ("Glaze",), {"Glaze": "ink"}),
        (["Pot, ink glaze, 9 cm", "Pot, ink glaze, 14 cm"], [{}, {}], ("Size",), {"Size": "9 cm"}),
        (["A", "B"], [{"colour": "red"}, {"colour": "blue"}], ("Colour",), {"Colour": "red"}),
        (["Feed 500 ml", "Feed 1000 ml"], [{}, {}], ("Sort",), {"Sort": "500"}),
        (
            ["Basil, tin", "Basil, bag", "Mint, tin"],
            [{}, {}, {}],
            ("Sort", "Sort 2"),
            {"Sort": "Basil", "Sort 2": "tin"},
        ),
    ],
)
def test_what_differs_is_proposed(titles, attributes, traits, first):
    members = [
        LooseProduct(str(n), title, held)
        for n, (title, held) in enumerate(zip(titles, attributes, strict=True))
    ]
    found = propose(members)
    assert found.traits == traits
    assert found.values["0"] == first
    assert found.tells_apart


def test_products_that_do_not_differ_are_told_so():
    assert not propose([LooseProduct("A", "Pot", {}), LooseProduct("B", "Pot", {})]).tells_apart


@given(st.lists(st.text(alphabet="abc ,", max_size=12), min_size=1, max_size=5))
def test_a_shared_title_is_where_every_title_begins(ends):
    titles = [f"Tarn pot {end}" for end in ends]
    shared = shared_title(titles)
    assert shared.startswith("Tarn pot")
    assert all(" ".join(title.split()).startswith(shared) for title in titles)


@pytest.mark.parametrize(
    ("pattern", "filled"),
    [
        ("{Glaze:3}-{Size:2}", "CEL-14"),
        ("{glaze}", "Celadon"),
        ("X{#}", "X7"),
        ("plain", "plain"),
        ("{Size}", "14 cm"),
    ],
)
def test_patterns_are_filled(pattern, filled):
    assert fill_pattern(pattern, {"Glaze": "Celadon", "Size": "14 cm"}, 7) == filled


@pytest.mark.parametrize(
    ("axes", "sku", "code"),
    [
        ([Trait("A", ())], "{A}", "missing"),
        (
            [Trait("A", tuple(map(str, range(40)))), Trait("B", tuple(map(str, range(40))))],
            "{A}{B}",
            "too-many",
        ),
        ([Trait("A", ("x", "y"))], "SAME", "twice"),
        ([Trait("A", ("x",))], "{Colour}", "unknown"),
    ],
)
def test_what_cannot_be_generated_is_refused(axes, sku, code):
    with pytest.raises(Refused) as refused:
        generate(sku, "T", axes)
    assert refused.value.first.code == code
