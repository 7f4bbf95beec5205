"""Finds the cells of a workbook that hold a formula without its result. Programs that write
workbooks without calculating leave it out, and the cell would be read as empty.
"""

import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree

_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
# a cell of SpreadsheetML: its attributes, its formula, and nothing (or an empty value) after it
_CELL = re.compile(
    rb"<c\b([^>]*)>\s*<f\b(?:[^>]*/>|[^>]*>(.*?)</f>)\s*(?:<v\s*/>|<v>\s*</v>)?\s*</c>", re.DOTALL
)
_PLACE = re.compile(rb"""\br=["']([A-Z]+)([0-9]+)["']""")
Place = tuple[int, int]


def formulas_without_result(path: Path, ending: str, sheet: str) -> dict[Place, str]:
    """Returns the formulas of a sheet whose results are not in the file, by (row, column), both
    counted from 0. The result is empty for kinds of files that always hold the results.
    """
    if ending not in (".xlsx", ".xlsm", ".ods") or not zipfile.is_zipfile(path):
        return {}
    with zipfile.ZipFile(path) as packed:
        found = _in_ods(packed, sheet) if ending == ".ods" else _in_xlsx(packed, sheet)
        return dict(found)


def _in_xlsx(packed: zipfile.ZipFile, sheet: str) -> Iterator[tuple[Place, str]]:
    content = packed.read(_part_of(packed, sheet))
    if b"<f" not in content:
        return
    for match in _CELL.finditer(content):
        attributes, formula = match[1], match[2] or b""
        if b't="str"' in attributes:  # an empty text is a result
            continue
        place = _PLACE.search(attributes)
        if place is not None:
            yield (
                (int(place[2]) - 1, _column(place[1].decode())),
                f"={formula.decode(errors='replace')}",
            )


def _part_of(packed: zipfile.ZipFile, sheet: str) -> str:
    """Returns the part of a packed workbook that holds a sheet."""
    book = ElementTree.fromstring(packed.read("xl/workbook.xml"))
    relations = ElementTree.fromstring(packed.read("xl/_rels/workbook.xml.rels"))
    targets = {relation.get("Id"): str(relation.get("Target")) for relation in relations}
    for element in book.iter():
        if element.tag.endswith("}sheet") and element.get("name") == sheet:
            target = targets[element.get(_RELATION)]
            return target.lstrip("/") if target.startswith("/") else f"xl/{target}"
    return "xl/worksheets/sheet1.xml"


def _column(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - ord("A") + 1
    return number - 1


def _in_ods(packed: zipfile.ZipFile, sheet: str) -> Iterator[tuple[Place, str]]:
    content = packed.read("content.xml")
    if b"table:formula" not in content:
        return
    for table in ElementTree.fromstring(content).iter(f"{_TABLE}table"):
        if table.get(f"{_TABLE}name") != sheet:
            continue
        row_number = 0
        for row in table.iter(f"{_TABLE}table-row"):
            column = 0
            for cell in row:
                formula = cell.get(f"{_TABLE}formula")
                if formula and cell.get(f"{_OFFICE}value-type") is None:
                    yield (row_number, column), f"={formula.partition('=')[2]}"
                column += int(cell.get(f"{_TABLE}number-columns-repeated") or 1)
            row_number += int(row.get(f"{_TABLE}number-rows-repeated") or 1)
