"""Tables in files of every kind: what comes in is read as it was meant, what goes out comes back
the same."""

import csv
import datetime as dt
import io
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.imports.cells import plain_text
from relvan.core.refusal import Refused
from relvan.documents import tables
from relvan.documents.tables import (
    CsvForm,
    TableFile,
    first_rows,
    guess_delimiter,
    guess_encoding,
    guess_form,
    rows_of,
    sheets_of,
    write_csv,
    write_xlsx,
)
from tests.steps.tables import WORKBOOKS, ods, ods_cell, packed_ods, xlsx

GOODS = [
    ["SKU", "Title", "Weight"],
    ["PT-1", "Töpfchen, klein", 720],
    ["PT-2", "Schale “rund”", 1250.5],
]


def table(path, content, name=None, **more):
    path.write_bytes(content)
    return TableFile(path, name or path.name, **more)


def texts(file):
    with rows_of(file) as rows:
        return [[plain_text(cell) for cell in row] for row in rows]


@pytest.mark.parametrize("suffix", WORKBOOKS)
def test_every_kind_of_workbook_says_the_same(tmp_path, suffix):
    rows = [
        *GOODS,
        ["PT-3", None, 3],
        ["PT-4", "two\nlines", True],
        ["PT-5", dt.date(2026, 3, 31), 0.1],
    ]
    found = texts(table(tmp_path / f"goods{suffix}", WORKBOOKS[suffix](("Goods", rows))))
    assert found[:3] == [
        ["SKU", "Title", "Weight"],
        ["PT-1", "Töpfchen, klein", "720"],
        ["PT-2", "Schale “rund”", "1250.5"],
    ]
    assert found[3] == ["PT-3", "", "3"]
    assert found[4][:2] == ["PT-4", "two\nlines"]
    assert found[4][2] in ("yes", "1")
    assert found[5] == ["PT-5", "2026-03-31", "0.1"]


@pytest.mark.parametrize("suffix", WORKBOOKS)
def test_a_sheet_is_chosen_by_its_name_and_the_first_one_else(tmp_path, suffix):
    content = WORKBOOKS[suffix](("Notes", [["nothing here"]]), ("Goods", GOODS))
    assert sheets_of(table(tmp_path / f"a{suffix}", content)) == ["Notes", "Goods"]
    assert texts(table(tmp_path / f"b{suffix}", content)) == [["nothing here"]]
    assert texts(table(tmp_path / f"c{suffix}", content, sheet="Goods"))[1][0] == "PT-1"
    assert texts(table(tmp_path / f"d{suffix}", content, sheet="Gone")) == [["nothing here"]]


def read_or_refused(file):
    """Returns the rows of a file, or the code by which it is refused; anything else is a fault of
    ours."""
    try:
        return texts(file)
    except Refused as refused:
        return refused.first.code


@pytest.mark.parametrize("suffix", WORKBOOKS)
@pytest.mark.parametrize("part", [0.0, 0.1, 0.4, 0.7, 0.95])
def test_a_workbook_cut_off_anywhere_is_refused_and_never_breaks(tmp_path, suffix, part):
    content = WORKBOOKS[suffix](("Goods", GOODS * 40))
    found = read_or_refused(table(tmp_path / f"cut{suffix}", content[: int(len(content) * part)]))
    # the old format may be cut behind its last row
    assert found == "no-table" or (suffix == ".xls" and found[1][0] == "PT-1")


@pytest.mark.parametrize("suffix", WORKBOOKS)
@pytest.mark.parametrize("other", [*WORKBOOKS, ".xlsm", ".xlsb"])
def test_a_workbook_under_a_wrong_name_is_refused_or_read_as_what_it_is(tmp_path, suffix, other):
    found = read_or_refused(table(tmp_path / f"goods{other}", WORKBOOKS[suffix](("Goods", GOODS))))
    assert found == "no-table" or found[1][0] == "PT-1"


def test_repeated_cells_of_an_open_document_are_spread(tmp_path):
    content = ods(("Goods", [["SKU", "A", "B", "C"], ["PT-1"]]))
    packed = zipfile.ZipFile(io.BytesIO(content)).read("content.xml").decode()
    packed = packed.replace(ods_cell("PT-1"), ods_cell("PT-1") + ods_cell(7, repeated=3))
    assert texts(table(tmp_path / "goods.ods", packed_ods(packed)))[1] == ["PT-1", "7", "7", "7"]


def test_an_empty_workbook_has_no_rows(tmp_path):
    for suffix, make in WORKBOOKS.items():
        found = texts(table(tmp_path / f"empty{suffix}", make(("Goods", []))))
        assert [row for row in found if any(row)] == []


@pytest.mark.parametrize(
    ("content", "encoding"),
    [
        ("Töpfchen".encode(), "utf-8"),
        (b"plain", "utf-8"),
        ("\ufeffTöpfchen".encode(), "utf-8-sig"),
        ("Töpfchen, Größe, Öl".encode("cp1252"), "cp1252"),
        ("€ 5".encode("cp1252"), "cp1252"),
        ("sku,title\nA,Töpfchen".encode("utf-16"), "utf-16"),
        ("sku,title\nA,Topf".encode("utf-16-le"), "utf-16-le"),
        ("sku,title\nA,Topf".encode("utf-16-be"), "utf-16-be"),
    ],
)
def test_an_encoding_is_guessed_from_the_bytes(content, encoding):
    assert guess_encoding(content) == encoding


def test_an_encoding_is_guessed_though_the_sample_ends_inside_a_letter(tmp_path, monkeypatch):
    monkeypatch.setattr(tables, "SAMPLE_BYTES", 101)
    file = table(tmp_path / "long.csv", ("sku,title\n" + "A,ö\n" * 200).encode())
    assert guess_form(file.path) == CsvForm("utf-8", ",")
    assert len(texts(file)) == 201


def test_a_file_in_another_encoding_than_was_said_is_refused(tmp_path):
    file = table(
        tmp_path / "goods.csv", "sku\nTöpfchen\n".encode("cp1252"), form=CsvForm("utf-8", ",")
    )
    with pytest.raises(Refused) as refused:
        texts(file)
    assert refused.value.first.code == "encoding"
    assert refused.value.first.field == "encoding"


words = st.text(alphabet="abcÄö 12", min_size=1, max_size=8)
grids = st.integers(2, 5).flatmap(
    lambda width: st.lists(st.lists(words, min_size=width, max_size=width), min_size=3, max_size=12)
)


@given(grids, st.sampled_from(",;\t|"))
def test_a_delimiter_is_guessed(rows, delimiter):
    out = io.StringIO()
    csv.writer(out, delimiter=delimiter).writerows(rows)
    assert guess_delimiter(out.getvalue()) == delimiter


cells = st.text(
    st.characters(codec="utf-8", exclude_categories=["Cs"], exclude_characters="\x00\r"),
    max_size=12,
)


@given(st.lists(st.lists(cells, min_size=2, max_size=2), min_size=1, max_size=8))
def test_what_goes_out_as_text_comes_back_the_same(tmp_path_factory, rows):
    content = b"".join(write_csv(["one", "two"], rows))
    file = table(
        tmp_path_factory.mktemp("out") / "out.csv", content, form=CsvForm("utf-8-sig", ",")
    )
    assert texts(file)[1:] == [[plain_text(cell) for cell in row] for row in rows]


def test_nothing_that_goes_out_is_a_formula(tmp_path):
    wicked = ["=1+1", "+1", "-1", "@now", "\tx", "=cmd|' /C calc'!A0", "'=1"]
    text = b"".join(write_csv(["cell"], [[cell] for cell in wicked])).decode("utf-8-sig")
    found = [row[0] for row in list(csv.reader(io.StringIO(text)))[1:]]
    assert found == ["'=1+1", "'+1", "'-1", "'@now", "x", "'=cmd|' /C calc'!A0", "''=1"]
    book = zipfile.ZipFile(io.BytesIO(write_xlsx(["cell"], [[cell] for cell in wicked])))
    assert b"<f>" not in book.read("xl/worksheets/sheet1.xml")


def test_a_sheet_that_goes_out_keeps_codes_as_text_and_numbers_as_numbers(tmp_path):
    content = write_xlsx(
        ["sku", "gtin", "weight"], [["PT-1", "0036000291452", 720], ["'quoted", None, 0]]
    )
    with rows_of(table(tmp_path / "out.xlsx", content)) as rows:
        found = list(rows)
    assert found[1] == ["PT-1", "0036000291452", 720.0]
    assert plain_text(found[2][0]) == "'quoted"
    assert found[2][2] == 0.0


def test_a_long_table_goes_out_in_pieces(tmp_path):
    pieces = list(write_csv(["n"], ([n] for n in range(1_200))))
    assert len(pieces) > 3
    assert len(texts(table(tmp_path / "long.csv", b"".join(pieces)))) == 1_201


def test_a_table_with_too_many_rows_is_refused(tmp_path, monkeypatch):
    monkeypatch.setattr(tables, "MOST_ROWS", 5)
    for name, content in (("a.csv", b"a,b\n" * 6), ("a.xlsx", xlsx(("Goods", [["a", "b"]] * 6)))):
        with pytest.raises(Refused) as refused:
            texts(table(tmp_path / name, content))
        assert refused.value.first.code == "too-large"


def test_the_first_rows_are_read_without_the_rest(tmp_path):
    file = table(tmp_path / "goods.csv", b"a,b\n" * 1_000)
    assert len(first_rows(file, 10)) == 10
