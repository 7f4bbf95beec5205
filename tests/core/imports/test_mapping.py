"""Tests which column of a file is which field."""

import pytest

from relvan.core.imports.cells import (
    CellReading,
)
from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.core.imports.mapping import (
    MappedColumn,
    check_mapping,
    find_header,
    guess_mapping,
    headings_of,
    letter,
    mapping_data,
    mapping_from,
    remap,
    unit_of,
)
from relvan.core.refusal import Refused

PRODUCTS = KINDS[FileKind.PRODUCTS]


@pytest.mark.parametrize(
    ("heading", "name"),
    [
        ("SKU", "sku"),
        ("Item number", "sku"),
        ("artikelnummer", "sku"),
        ("Product_Code:", "sku"),
        ("EAN", "gtin"),
        ("Weight (kg) *", "weight_g"),
        ("Länge", ""),
        ("Length cm", "length_mm"),
        ("price: trade", "price trade"),
        ("Attribute: Glaze", "attribute Glaze"),
        ("trait: Size", "trait Size"),
        ("Retail price", "price retail"),
        ("Price", "price retail"),
        ("Notes", ""),
        ("", ""),
    ],
)
def test_a_column_is_guessed_by_its_heading(heading, name):
    (found,) = guess_mapping(PRODUCTS, [heading], [["x"]], lists=["retail", "trade"])
    assert found.name == name


def test_columns_are_guessed_by_values_and_none_twice():
    rows = [["4006381333931", "A-1"], ["4006381333948", "A-2"], ["4006381333955", "A-3"]]
    found = guess_mapping(PRODUCTS, ["first", "second"], rows, known_skus=["a-1", "a-2", "a-3"])
    assert [column.name for column in found] == ["gtin", "sku"]
    assert [c.name for c in guess_mapping(PRODUCTS, ["SKU", "Code"], [])] == ["sku", ""]


def test_units_and_headers_of_strange_files():
    assert (unit_of("Weight (kg)"), unit_of("kg"), unit_of("Length in cm")) == ("kg", "", "cm")
    rows = [["Our list"], ["", "", ""], ["SKU", "Title", "Price"], ["A", "B", "1"]]
    assert find_header(rows, PRODUCTS) == 2
    merged = [["", "Retail", "", "Trade", ""], ["SKU", "old", "new", "old", "new"]]
    assert headings_of(merged, 1) == ["SKU", "Retail old", "Retail new", "Trade old", "Trade new"]
    assert headings_of([["SKU", ""]], 0) == ["SKU", "column B"]
    assert [letter(n) for n in (0, 25, 26, 701, 702)] == ["A", "Z", "AA", "ZZ", "AAA"]


def test_a_kept_mapping_is_laid_over_another_file():
    kept = mapping_from(
        mapping_data(
            [
                MappedColumn("Item", "sku"),
                MappedColumn("kg", "weight_g", CellReading(",", unit="kg")),
            ]
        )
    )
    found = remap(kept, ["KG", "other", "item"])
    assert [column.name for column in found] == ["weight_g", "", "sku"]
    assert found[0].reading.unit == "kg"
    for wrong in (
        [{"name": "sku"}],
        [{"heading": "a", "decimal": "x"}],
        ["a"],
        [{"heading": "a", "dates": "no"}],
    ):
        with pytest.raises(Refused):
            mapping_from(wrong)


@pytest.mark.parametrize(
    ("names", "codes"),
    [
        (["sku"], []),
        ([], ["missing"]),
        (["sku", "sku"], ["twice"]),
        (["sku", "colour"], ["unknown"]),
    ],
)
def test_a_mapping_is_checked(names, codes):
    columns = [MappedColumn(str(n), name) for n, name in enumerate(names)]
    assert [refusal.code for refusal in check_mapping(PRODUCTS, columns)] == codes
