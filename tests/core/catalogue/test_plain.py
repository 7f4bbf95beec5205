"""Tests plain facts of many products: which facts are plain, and which values are beyond
question."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.checks import check_facts, surely_right, wrong_values
from relvan.core.catalogue.completeness import completeness, may_turn
from relvan.core.catalogue.plain import PlainRows, are_plain, questionable, with_sides
from relvan.core.imports.columns import FileKind
from relvan.core.imports.plain import is_plain_file


@pytest.mark.parametrize(
    ("names", "plain"),
    [
        (["title"], True),
        (["title", "price retail", "price Über B2B", "weight_g", "gtin", "fragile"], True),
        (["length_mm", "width_mm", "height_mm"], True),
        (["length_mm", "height_mm"], False),
        (["case_length_mm"], False),
        (["family"], False),
        (["kind"], False),
        (["trait Glaze"], False),
        (["attribute material"], False),
        (["aliases"], False),
        (["archived"], False),
        (["tax_code"], False),
        ([], True),
    ],
)
def test_facts_are_plain_when_each_concerns_one_product_alone(names, plain):
    assert are_plain(names) is plain
    assert is_plain_file(FileKind.PRODUCTS, ["sku", *names]) is plain
    assert not is_plain_file(FileKind.PRICES, ["sku", *names]), "only a file of products is"
    assert not is_plain_file(FileKind.PRODUCTS, names), "without its SKU a row is about nothing"


def test_a_side_brings_its_other_sides_after_what_was_asked():
    assert with_sides(["title"]) == ["title"]
    assert with_sides(["width_mm", "title"]) == ["width_mm", "title", "length_mm", "height_mm"]
    assert with_sides(["case_height_mm"]) == ["case_height_mm", "case_length_mm", "case_width_mm"]


@pytest.mark.parametrize(
    ("name", "right", "wrong"),
    [
        ("sku", ["A", "Töpfe/4", "x" * 64], ["", " A", "A ", "x" * 65, "A\tB"]),
        ("title", ["A", "x" * 200], ["x" * 201, "A\x00B", "   "]),
        ("description", ["", "A\nB"], ["x" * 20_001, "\x07"]),
        ("category", ["Pots", "Pots / Indoors"], ["Pots / ", " / "]),
        ("gtin", ["4006381333931"], ["4006381333932", "12", "abc"]),
        ("weight_g", [1, 2_000_000], [0, -1, 2_000_001]),
        ("cost", [0, 1], [-1]),
        ("origin", ["IE"], ["ie", "IRL", "I1"]),
        ("hs_code", ["691200"], ["6912", "69120x"]),
        ("price retail", [1], [0, -5]),
        ("minimum_order", [1], [0]),
        ("fragile", [True, False], []),
    ],
)
def test_wrong_values_are_those_that_the_check_of_one_product_refuses(name, right, wrong):
    assert wrong_values(name, {*right, *wrong}) == set(wrong)
    for value in (*right, *wrong):
        refused = bool(check_facts({"sku": "A", "title": "A", name: value}, [name]))
        assert refused is (value in wrong)


@pytest.mark.parametrize("name", ["sku", "title", "brand", "description", "category", "supplier"])
@given(
    values=st.lists(
        st.sampled_from(
            ["A", "Töpfe / 4", "", " ", " A", "A\n", "x" * 64, "x" * 65, "x" * 201, None]
        )
    )
)
def test_one_look_at_a_whole_column_never_overlooks_a_wrong_value(name, values):
    wrong = wrong_values(name, {*values} - {None})
    assert not (surely_right(name, values) and wrong)
    if name == "sku" and None not in values:
        assert surely_right(name, values) is (not wrong)


sides = st.none() | st.sampled_from([0, 1, 90, 20_000, 20_001])


@given(st.lists(st.tuples(sides, sides, sides), min_size=1, max_size=5))
def test_a_size_is_beyond_question_when_the_check_of_one_product_says_nothing_of_it(sizes):
    names = ("length_mm", "width_mm", "height_mm")
    found = questionable(names, list(zip(*sizes, strict=True)))
    for place, size in enumerate(sizes):
        said = {name: side for name, side in zip(names, size, strict=True) if side is not None}
        assert (place in found) is bool(check_facts({"sku": "A", "title": "A", **said}))


def laid(old, new):
    count = len(next(iter(new.values())))
    return PlainRows(list(range(2, 2 + count)), [f"S-{n}" for n in range(count)], old, new)


def test_rows_laid_out_by_column_tell_each_by_itself_what_changes():
    rows = laid(
        {"brand": ["A", "A", None], "cost": [1, 2, 3]},
        {"brand": ["B", "A", "C"], "cost": [1, 2, None]},
    )
    assert rows.changes() == [{"brand": ("A", "B")}, {}, {"brand": (None, "C"), "cost": (3, None)}]
    assert [rows.change(at) for at in range(3)] == [{"brand": ("A", "B")}, None, rows.changes()[2]]
    assert rows.turned().change(0) == {"brand": ("B", "A")}
    picked = rows.pick([2, 0])
    assert (picked.positions, picked.subjects, picked.change(1)) == (
        [4, 2],
        ["S-2", "S-0"],
        {"brand": ("A", "B")},
    )
    assert rows.without([1]) == [0, 2]


@pytest.mark.parametrize(
    ("old", "new", "turns"),
    [
        ({"weight_g": [700]}, {"weight_g": [720]}, False),
        ({"weight_g": [None]}, {"weight_g": [720]}, True),
        ({"weight_g": [700]}, {"weight_g": [None]}, True),
        ({"category": ["A"]}, {"category": ["B"]}, True),
        ({"category": ["A"], "cost": [1]}, {"category": ["A"], "cost": [2]}, False),
    ],
)
def test_rows_may_turn_what_is_lacking_when_one_of_them_does(old, new, turns):
    rows = laid(old, new).differing()
    assert rows.may_turn() is turns is any(map(may_turn, rows.changes()))


texts, numbers = st.sampled_from([None, "A", "B"]), st.sampled_from([None, 5, 6])


plain_facts = st.fixed_dictionaries(
    {},
    optional={
        "description": texts,
        "category": texts,
        "weight_g": numbers,
        "price retail": numbers,
        "cost": numbers,
    },
)


@given(plain_facts, plain_facts)
def test_a_change_that_cannot_turn_what_is_lacking_does_not(old, new):
    old, new = ({name: v for name, v in facts.items() if v is not None} for facts in (old, new))
    changes = {n: (old.get(n), new.get(n)) for n in {*old, *new} if old.get(n) != new.get(n)}
    if not may_turn(changes):
        assert completeness(old, pictures=0, asked={}) == completeness(new, pictures=0, asked={})
    assert may_turn({**changes, "category": ("A", "B")})
