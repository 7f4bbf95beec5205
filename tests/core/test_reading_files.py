"""What cells say, which column is which, and which rows are one thing."""

from datetime import date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.imports.cells import (
    CellReading,
    guess_date_order,
    guess_decimal,
    plain_text,
    read_cell,
    read_date,
    read_number,
    safe_text,
)
from relvan.core.imports.columns import Column, FileKind
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
from relvan.core.imports.things import Options, Row, gather, target
from relvan.core.refusal import Refused

WEIGHT = Column("weight_g", "Weight g", "whole", "g")
PRICE = Column("price retail", "price: retail", "amount")
FLAG = Column("fragile", "Fragile", "flag")
CODE = Column("gtin", "GTIN", "code")
PRODUCTS = KINDS[FileKind.PRODUCTS]


@pytest.mark.parametrize(
    ("raw", "column", "how", "value"),
    [
        ("720", WEIGHT, CellReading(), 720),
        ("0,72", WEIGHT, CellReading(",", unit="kg"), 720),
        ("1.250", WEIGHT, CellReading(","), 1250),
        ("1,250", WEIGHT, CellReading("."), 1250),
        ("2 kg", WEIGHT, CellReading(), 2000),
        (720.0, WEIGHT, CellReading(), 720),
        (0.72, WEIGHT, CellReading(",", unit="kg"), 720),
        ("1 lb", WEIGHT, CellReading(), 454),
        ("16,90", PRICE, CellReading(","), 1690),
        ("€ 16.90", PRICE, CellReading(), 1690),
        ("16.90 EUR", PRICE, CellReading(), 1690),
        (16.9, PRICE, CellReading(), 1690),
        (16.900000000000002, PRICE, CellReading(), 1690),
        ("1'234.50", PRICE, CellReading(), 123450),
        ("1 234,50", PRICE, CellReading(","), 123450),
        (17, PRICE, CellReading(), 1700),
        ("yes", FLAG, CellReading(), True),
        ("X", FLAG, CellReading(), True),
        (True, FLAG, CellReading(), True),
        ("no", FLAG, CellReading(), False),
        (4006381333931.0, CODE, CellReading(), "4006381333931"),
        ("", CODE, CellReading(), None),
        ("  ", CODE, CellReading(constant="7"), "7"),
        (None, PRICE, CellReading(), None),
        ("'=1+1", CODE, CellReading(), "=1+1"),
    ],
)
def test_a_cell_is_read_by_the_form_of_its_column(raw, column, how, value):
    assert read_cell(raw, column, how, "EUR") == value


@pytest.mark.parametrize(
    ("raw", "column"),
    [
        ("heavy", WEIGHT),
        ("1.5", WEIGHT),
        ("1,2,3", WEIGHT),
        ("12.345", PRICE),
        ("-5", PRICE),
        ("perhaps", FLAG),
        ("99999999999", WEIGHT),
        ("1e999", PRICE),
        ("x" * 40_000, CODE),
        ("1.2.3", PRICE),
    ],
)
def test_what_has_not_the_form_is_refused_and_names_the_column(raw, column):
    with pytest.raises(Refused) as refused:
        read_cell(raw, column, CellReading(), "EUR")
    assert column.heading in refused.value.first.message


@given(st.text(alphabet="=+-@'ab1 \t", max_size=8))
def test_a_text_made_safe_is_no_formula_and_comes_back(text):
    safe = safe_text(text)
    assert not safe.startswith(("=", "+", "-", "@", "\t", "\r"))
    assert plain_text(safe) == plain_text(text) or text != text.strip() or text.startswith("'")


@given(st.integers(0, 10**9), st.integers(0, 99), st.sampled_from([".", ","]))
def test_a_number_written_with_groups_is_read_back(whole, part, decimal):
    group = "," if decimal == "." else "."
    written = f"{whole:,}".replace(",", group) + f"{decimal}{part:02d}"
    assert read_number(written, decimal) * 100 == whole * 100 + part


@pytest.mark.parametrize(
    ("text", "order", "iso"),
    [
        ("2026-03-31", "dmy", "2026-03-31"),
        ("31.03.2026", "dmy", "2026-03-31"),
        ("3/31/26", "mdy", "2026-03-31"),
        ("2026/3/1", "ymd", "2026-03-01"),
        ("31.02.2026", "dmy", None),
        ("soon", "dmy", None),
    ],
)
def test_dates_of_three_kinds(text, order, iso):
    column = Column("d", "Day", "date")
    if iso is None:
        with pytest.raises(Refused):
            read_date(text, column, order)
    else:
        assert read_date(text, column, order) == iso


def test_numbers_and_dates_are_guessed_from_all_samples():
    assert guess_decimal(["5", "1.234,50", "7,5"]) == ","
    assert guess_date_order(["03/04/2026", "03/25/2026"]) == "mdy"
    assert plain_text(datetime(2026, 3, 31)) == "2026-03-31" == plain_text(date(2026, 3, 31))


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


def rows_of(*values):
    return [Row(n, held) for n, held in enumerate(values, 2)]


@given(st.permutations([("OUT", "IN", 1), ("IN", "A", 2), ("OUT", "A", 1), ("IN", "B", 1)]))
def test_rows_of_a_kit_are_gathered_in_any_order(parts):
    things = gather(
        KINDS[FileKind.KITS],
        rows_of(*({"kit": k, "part": p, "quantity": q} for k, p, q in parts)),
        Options(),
    )
    found = {thing.sku: sorted(thing.parts) for thing in things}
    assert found == {"OUT": [("A", 1), ("IN", 1)], "IN": [("A", 2), ("B", 1)]}


def test_parts_are_added_or_replace_those_there():
    (thing,) = gather(
        KINDS[FileKind.KITS], rows_of({"kit": "K", "part": "a", "quantity": 5}), Options()
    )
    now = {"sku": "K", "kind": "kit", "parts": [["A", 1], ["B", 2]]}
    assert target(thing, now, Options())["parts"] == [["A", 5], ["B", 2]]
    assert target(thing, now, Options(members="replace"))["parts"] == [["a", 5]]


def test_an_empty_cell_empties_only_when_that_was_chosen():
    row = Row(2, {"sku": "A"}, empty=frozenset({"brand"}))
    for clear, left in ((False, "Q"), (True, None)):
        (thing,) = gather(PRODUCTS, [row], Options(clear=clear))
        assert (
            target(thing, {"sku": "A", "kind": "single", "brand": "Q"}, Options(clear=clear)).get(
                "brand"
            )
            == left
        )
