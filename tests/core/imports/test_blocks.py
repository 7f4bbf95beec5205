"""Reading a file column by column says what reading it cell by cell says."""

from hypothesis import given
from hypothesis import strategies as st

from relvan.core.imports.blocks import BlockReader
from relvan.core.imports.cells import CellReading, plain_text, plain_texts
from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.core.imports.mapping import MappedColumn

PRODUCTS = KINDS[FileKind.PRODUCTS]


def reader(*names, **how):
    mapped = [
        (n, PRODUCTS.column(name), MappedColumn(name, name, CellReading(**how)))
        for n, name in enumerate(names)
    ]
    return BlockReader(mapped, {"": "EUR", "retail": "EUR", "yen": "JPY"})


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


@given(st.lists(st.text("aé 'x=\n\r\t\u00a0", max_size=5), min_size=1))
def test_a_column_of_texts_is_read_as_each_of_its_cells_is(cells):
    ordinary = not any(sign in cell for cell in cells for sign in "\r'")
    assert plain_texts(cells) == (
        [plain_text(cell) or None for cell in cells] if ordinary else None
    )


def test_a_column_is_read_cell_by_cell_where_one_of_them_is_no_ordinary_text():
    assert plain_texts(["A", " B ", ""]) == ["A", "B", None]
    for odd in (["A", 1], ["A", None], ["'=1"], ["x" * 32_768], ["a\rb"]):
        assert plain_texts(odd) is None
