"""Reading a file column by column, and judging many of its rows at once."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.catalogue.checks import check_facts, surely_right, wrong_values
from relvan.core.catalogue.completeness import completeness, may_turn
from relvan.core.catalogue.plain import PlainRows, Standing, are_plain, questionable, with_sides
from relvan.core.imports.blocks import Block, BlockReader
from relvan.core.imports.cells import CellReading, plain_text, plain_texts
from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.core.imports.mapping import MappedColumn
from relvan.core.imports.plain import RepeatedValues, is_plain_file, judge_plain, keys_of, repeated
from relvan.core.imports.things import Options

PRODUCTS = KINDS[FileKind.PRODUCTS]
NOTHING_TWICE = RepeatedValues((), ())


def reader(*names, **how):
    mapped = [
        (n, PRODUCTS.column(name), MappedColumn(name, name, CellReading(**how)))
        for n, name in enumerate(names)
    ]
    return BlockReader(mapped, {"": "EUR", "retail": "EUR", "yen": "JPY"})


def block(*skus, refusals=None, **columns):
    named = {name.replace("__", " "): values for name, values in columns.items()}
    return Block(list(range(2, 2 + len(skus))), {"sku": list(skus), **named}, refusals or {})


def judge(rows, known=None, taken=(), twice=NOTHING_TWICE, **options):
    return judge_plain(rows, keys_of(rows), known or {}, taken, twice, Options(**options))


def told(judged):
    """(position, SKU, verdict, change) of the rows that are beyond question, in the order of the
    file."""
    return sorted(
        (rows.positions[at], rows.subjects[at], verdict, rows.change(at))
        for verdict, rows in judged.clear.items()
        for at in range(len(rows))
    )


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


def test_cells_are_read_by_column_and_rows_may_be_short_or_long():
    rows = [["A", "Pot", "1.5", "left over"], ["B"], ["C", "", "2"], []]
    read = reader("sku", "title", "cost").read([2, 3, 4, 5], rows)
    assert read.columns == {
        "sku": ["A", "B", "C", None],
        "title": ["Pot", None, None, None],
        "cost": [150, None, 200, None],
    }
    assert read.refusals == {}
    assert [row.values for row in read.rows()] == [
        {"sku": "A", "title": "Pot", "cost": 150},
        {"sku": "B"},
        {"sku": "C", "cost": 200},
        {},
    ]
    assert read.row(2).position == 4
    assert read.row(2).empty == {"title"}


def test_a_cell_that_cannot_be_read_is_neither_a_value_nor_empty():
    read = reader("sku", "cost", "weight_g").read([2, 3], [["A", "much", "heavy"], ["B", "1", "2"]])
    assert [refusal.field for refusal in read.refusals[0]] == ["cost", "weight_g"]
    first, second = read.rows()
    assert first.values == {"sku": "A"}
    assert first.empty == frozenset()
    assert not second.refusals
    assert second.values == {"sku": "B", "cost": 100, "weight_g": 2}


def test_cells_that_python_takes_for_equal_are_told_apart():
    columns = reader("sku", "title", "fragile")
    said = [[1, 1, True], [True, True, 1], [1.0, 1.0, "1"], ["1", "1", 1.0]]
    read = columns.read([2, 3, 4, 5], said)
    assert read.columns["title"] == ["1", "yes", "1", "1"]
    assert read.columns["fragile"] == [True, True, True, True]
    assert columns.read([6], [[True, True, False]]).columns["title"] == ["yes"], (
        "what was remembered is the same"
    )


def test_what_is_remembered_of_a_column_stays_with_that_column():
    read = reader("sku", "cost", "price yen").read([2, 3], [["5", "5", "5"], ["5", "5", "5"]])
    assert read.columns == {"sku": ["5", "5"], "cost": [500, 500], "price yen": [5, 5]}


@given(st.lists(st.lists(st.sampled_from(["", "A", "1", "2.50", "x"]), max_size=4), max_size=12))
def test_a_row_says_the_same_in_whatever_block_it_is_read(rows):
    positions = list(range(2, 2 + len(rows)))
    together = list(reader("sku", "cost", "weight_g").read(positions, rows).rows())
    columns = reader("sku", "cost", "weight_g")
    alone = [
        columns.read([position], [row]).row(0)
        for position, row in zip(positions, rows, strict=True)
    ]
    assert together == alone


def test_new_products_are_told_with_all_their_facts_and_known_ones_with_what_differs():
    rows = block("NEW", "Old", title=["A pot", "Pot"], weight_g=[None, 720], fragile=[False, True])
    judged = judge(rows, {"old": Standing(7, True, "single", ("Pot", 700, None))})
    assert judged.others == []
    assert told(judged) == [
        (
            2,
            "NEW",
            "new",
            {"sku": (None, "NEW"), "kind": (None, "single"), "title": (None, "A pot")},
        ),
        (3, "Old", "changes", {"weight_g": (700, 720), "fragile": (None, True)}),
    ]


def test_a_product_without_a_title_is_called_by_its_sku():
    [(_, _, verdict, change)] = told(judge(block("NEW", title=[None])))
    assert verdict == "new"
    assert change["title"] == (None, "NEW")
    [(_, _, _, change)] = told(judge(block("NEW")))
    assert change["title"] == (None, "NEW"), "nor is a column needed for it"


@pytest.mark.parametrize(
    ("now", "said", "clear", "change"),
    [
        ("Pot", None, False, None),
        ("Pot", None, True, {"brand": ("Pot", None)}),
        (" Pot ", "Pot", False, None),
        (" Pot ", "pot", False, {"brand": (" Pot ", "pot")}),
        (None, "Pot", False, {"brand": (None, "Pot")}),
        (None, None, True, None),
    ],
)
def test_an_empty_cell_leaves_a_fact_unless_it_is_to_empty_it(now, said, clear, change):
    judged = judge(
        block("A", brand=[said]), {"a": Standing(1, True, "single", (now,))}, clear=clear
    )
    assert told(judged) == [(2, "A", "changes" if change else "same", change)]


@pytest.mark.parametrize(
    "stands",
    [
        Standing(1, False, "single", ("Pot",)),  # found by an alias, or in the archive
        Standing(1, True, "family", ("Pot",)),
        Standing(1, True, "kit", ("Pot",)),
        Standing(1, True, "service", ("Pot",)),
    ],
)
def test_what_is_no_ordinary_product_is_left_to_be_judged_by_itself(stands):
    assert judge(block("A", brand=["Pot"]), {"a": stands}).others == [0]


@pytest.mark.parametrize(
    ("rows", "more"),
    [
        (block(None, brand=["Pot"]), {}),
        (block("A", brand=["x" * 121]), {}),
        (block("A ", brand=["Pot"]), {}),
        (block("A", gtin=["4006381333932"]), {}),
        (block("A", gtin=["4006381333931"]), {"taken": {"04006381333931"}}),
        (block("A", gtin=["4006381333931"]), {"twice": RepeatedValues((), {"04006381333931"})}),
        (block("A", brand=["Pot"]), {"twice": RepeatedValues({"a"}, ())}),
        (block("A", brand=["Pot"]), {"create": False}),
        (block("A", brand=["Pot"], refusals={0: ["something"]}), {}),
        (block("A", length_mm=[1], width_mm=[None], height_mm=[1]), {}),
    ],
)
def test_whatever_could_be_refused_is_left_to_be_judged_by_itself(rows, more):
    judged = judge(rows, **more)
    assert (judged.clear, judged.others) == ({}, [0])


def test_a_changed_gtin_and_an_emptied_title_are_left_to_be_judged_by_themselves():
    rows = block("A", "B", gtin=["4006381333931", "036000291452"])
    stands = {
        "a": Standing(1, True, "single", ("036000291452",)),
        "b": Standing(2, True, "single", ("036000291452",)),
    }
    judged = judge(rows, stands)
    assert judged.others == [0]
    assert told(judged) == [(3, "B", "same", None)]
    emptied = judge(
        block("A", title=[None]), {"a": Standing(1, True, "single", ("Pot",))}, clear=True
    )
    assert emptied.others == [0]


def test_what_is_said_twice_is_found_across_blocks_by_case_by_alias_and_by_length():
    blocks = [
        block("A", "B", "OLD-3", gtin=["036000291452", None, None]),
        block("b", "PT-3", "C", gtin=["0036000291452", "4006381333931", None]),
    ]
    keyed = [(keys_of(rows), rows) for rows in blocks]
    found = repeated(keyed, {"old-3": "pt-3"})
    assert found.skus == {"b", "pt-3", "old-3"}
    assert found.gtins == {"00036000291452"}
    assert repeated(keyed, {}).skus == {"b"}


@given(st.lists(st.text("aé 'x=\n\r\t\u00a0", max_size=5), min_size=1))
def test_a_column_of_texts_is_read_as_each_of_its_cells_is(cells):
    found = plain_texts(cells)
    assert found is None or found == [plain_text(cell) or None for cell in cells]


def test_a_column_is_read_cell_by_cell_where_one_of_them_is_no_ordinary_text():
    assert plain_texts(["A", " B ", ""]) == ["A", "B", None]
    for odd in (["A", 1], ["A", None], ["'=1"], ["x" * 32_768], ["a\rb"]):
        assert plain_texts(odd) is None


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
