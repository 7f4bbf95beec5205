"""Formulas without a result are named, never taken as empty; files that are no tables are refused
as such."""

import io
import re
import zipfile

import pytest
import xlsxwriter

from relvan.core.imports.cells import Unsettled
from relvan.core.refusal import Refused
from relvan.documents.tables import TableFile, first_rows
from tests.steps.imports import rehearse, verdicts

ODS = """<?xml version="1.0"?><office:document-content
 xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2"><office:body><office:spreadsheet>
 <table:table table:name="Rows">
  <table:table-row><table:table-cell office:value-type="string"><text:p>SKU</text:p></table:table-cell>
   <table:table-cell office:value-type="string"><text:p>Title</text:p></table:table-cell></table:table-row>
  <table:table-row><table:table-cell office:value-type="string"><text:p>A</text:p></table:table-cell>
   <table:table-cell table:formula="of:=[.A1]"/></table:table-row>
 </table:table></office:spreadsheet></office:body></office:document-content>"""


def workbook(*cells):
    """Builds a workbook of SKU, title and cost whose second row has these formulas: (column,
    formula, result)."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    sheet = book.add_worksheet("Rows & more")
    sheet.write_row(0, 0, ["SKU", "Title", "Cost"])
    sheet.write_row(1, 0, ["A-1", "One", 5])
    sheet.write_row(2, 0, ["A-2", "Two", 6])
    for column, formula, result in cells:
        sheet.write_formula(1, column, formula, None, result)
    book.close()
    return out.getvalue()


def ods():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("META-INF/manifest.xml", "<manifest/>")
        packed.writestr("content.xml", re.sub(r">\s+<", "><", ODS))
    return out.getvalue()


def without_results(content):
    """Returns the same workbook as a program writes it that does not calculate."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as before, zipfile.ZipFile(out, "w") as after:
        for entry in before.infolist():
            text = before.read(entry)
            if entry.filename.startswith("xl/worksheets/"):
                text = text.replace(b"<v>777</v>", b"").replace(b"<v>888</v>", b"<v></v>")
            after.writestr(entry, text)
    return out.getvalue()


def rows(tmp_path, content, name="a.xlsx"):
    path = tmp_path / name
    path.write_bytes(content)
    return first_rows(TableFile(path, name))


def test_a_formula_with_its_result_is_read_as_the_result(tmp_path):
    found = rows(tmp_path, workbook((2, "=2+3", 5), (1, '="a"&"b"', "ab")))
    assert found[1] == ["A-1", "ab", 5.0]


@pytest.mark.parametrize("result", [777, 888])
def test_a_formula_without_its_result_is_marked(tmp_path, result):
    found = rows(tmp_path, without_results(workbook((2, "=B1*1.2", result))))
    assert found[1][:2] == ["A-1", "One"]
    assert (found[1][2], type(found[1][2])) == ("=B1*1.2", Unsettled)
    assert found[2] == ["A-2", "Two", 6.0]


def test_in_an_open_document_too(tmp_path):
    assert rows(tmp_path, ods(), "a.ods") == [["SKU", "Title"], ["A", Unsettled("=[.A1]")]]


@pytest.mark.parametrize("column", [0, 1, 2])
def test_its_row_is_refused_by_name_and_the_others_go_on(workplace, owner, column):
    content = without_results(workbook((column, "=Z9", 777)))
    _, found = rehearse(workplace, owner, "products", content, name="a.xlsx")
    assert verdicts(found) == ["refused", "new"]
    assert (
        "holds the formula “=Z9” without its result. Open the file in a spreadsheet" in found[0][3]
    )


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"%PDF-1.7 \xe2\xe3\xcf\xd3\n1 0 obj", "holds a PDF"),
        (b"\x89PNG\r\n\x1a\n" + bytes(range(256)), "holds a picture"),
        (b"PK\x03\x04" + bytes(60), "holds a packed file"),
        (bytes(range(256)) * 40, "holds no text"),
        (bytes(4_000), "holds no text"),
    ],
)
def test_a_file_that_is_no_table_is_refused_as_such(tmp_path, content, words):
    path = tmp_path / "a.csv"
    path.write_bytes(content)
    with pytest.raises(Refused) as refused:
        first_rows(TableFile(path, "a.csv"))
    assert (refused.value.first.code, words in refused.value.first.message) == ("no-table", True)
    assert "utf-16" not in refused.value.first.message
