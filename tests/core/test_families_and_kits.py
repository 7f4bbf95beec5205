"""The rules of families and kits: combinations, proposals, patterns, circles, what can be made."""

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
from relvan.core.catalogue.kits import (
    PartStock,
    PartWorth,
    can_be_made,
    find_circle,
    kit_sums,
    leaves_of,
)
from relvan.core.catalogue.product import Trait
from relvan.core.refusal import Refused
from relvan.core.stock.availability import StockBalance, StockPolicy, free_over, shown_quantity

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


@pytest.mark.parametrize(
    ("parts", "way"),
    [
        ({"A": ["B"], "B": ["C"]}, []),
        ({"A": ["A"]}, ["A", "A"]),
        ({"A": ["B", "C"], "B": ["D"], "C": ["D"], "D": []}, []),
        ({"A": ["B"], "B": ["C"], "C": ["A"]}, ["A", "B", "C", "A"]),
        ({"A": ["B"], "B": ["C"], "C": ["B"]}, []),
    ],
)
def test_a_circle_is_found_from_the_kit_it_goes_through(parts, way):
    assert find_circle("A", parts) == way


def test_leaves_are_added_up_through_kits_within_kits():
    parts = {"BOX": [("SET", 2), ("TIN", 1)], "SET": [("TIN", 3), ("POT", 1)]}
    assert leaves_of("BOX", parts) == {"TIN": 7, "POT": 2}
    assert leaves_of("TIN", parts) == {}


def stock(sku, quantity, **on_hand):
    places = {"mill": 1, "yard": 2}
    return PartStock(
        sku, quantity, {places[name]: StockBalance(name, units) for name, units in on_hand.items()}
    )


PLACES = {1: "Millrace", 2: "Yard"}


@pytest.mark.parametrize(
    ("parts", "apart", "free"),
    [
        ([stock("A", 1, mill=5), stock("B", 2, mill=5)], False, [2, 0]),
        ([stock("A", 1, mill=5), stock("B", 1, yard=5)], False, [0, 0]),
        ([stock("A", 1, mill=5), stock("B", 1, yard=4)], True, [4]),
        ([stock("A", 1, mill=3, yard=2), stock("B", 1, mill=1, yard=4)], False, [1, 2]),
        ([], False, [0, 0]),
    ],
)
def test_what_can_be_made_is_what_the_scarcest_part_allows(parts, apart, free):
    assert [held.free for held in can_be_made(parts, PLACES, apart=apart).values()] == free


units = st.dictionaries(st.sampled_from([1, 2]), st.integers(0, 30), max_size=2)


@given(st.lists(st.tuples(st.integers(1, 5), units), min_size=1, max_size=4))
def test_apart_never_makes_fewer_than_together(asked):
    parts = [
        PartStock(
            f"P{n}", quantity, {where: StockBalance("w", there) for where, there in held.items()}
        )
        for n, (quantity, held) in enumerate(asked)
    ]
    together = sum(held.free for held in can_be_made(parts, PLACES, apart=False).values())
    (apart,) = can_be_made(parts, PLACES, apart=True).values()
    assert apart.free >= together
    for part in parts:
        assert together * part.quantity <= sum(balance.free for balance in part.balances.values())


def test_a_kit_is_shown_by_the_same_policy_with_its_own_why():
    held = list(can_be_made([stock("A", 2, mill=9)], PLACES, apart=False).values())
    shown = shown_quantity(held, StockPolicy(hold_back=1))
    assert shown.quantity == 3
    assert shown.why.steps[0].detail == "scarcest part A: 9 free, 2 in each"
    assert free_over(held)[0] == 4


@pytest.mark.parametrize(
    ("parts", "sums"),
    [
        ([], (0, 0, None, None, None)),
        ([PartWorth(2, 500, 200, 90)], (1, 2, 1000, 400, 180)),
        ([PartWorth(1, 500, None, 90), PartWorth(3, 100, 20, None)], (2, 4, 800, None, None)),
    ],
)
def test_sums_over_parts_are_known_only_when_every_part_is(parts, sums):
    found = kit_sums(parts)
    assert (found.parts, found.units, found.price, found.cost, found.weight_g) == sums
