"""Tests what a cell says, by the form of its column."""

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
from relvan.core.imports.columns import Column
from relvan.core.imports.places import country_code
from relvan.core.refusal import Refused

WEIGHT = Column("weight_g", "Weight g", "whole", "g")


PRICE = Column("price retail", "price: retail", "amount")


FLAG = Column("fragile", "Fragile", "flag")


CODE = Column("gtin", "GTIN", "code")


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
        ("Oui", FLAG, CellReading(), True),
        ("nein", FLAG, CellReading(), False),
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
def test_a_text_made_safe_is_no_formula(text):
    assert not safe_text(text).startswith(("=", "+", "-", "@", "\t", "\r"))


@given(st.text(alphabet="=+-@ab1 \t", max_size=8).map(str.strip))
def test_a_text_made_safe_comes_back(text):
    assert plain_text(safe_text(text)) == text


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
        ("12/1/2010 8:26", "mdy", "2010-12-01"),
        ("31.03.2026 08:26:11", "dmy", "2026-03-31"),
        ("2026-03-31T23:10:00Z", "dmy", "2026-03-31"),
        ("3 March 2026", "ymd", "2026-03-03"),
        ("Tue, Mar 3, 2026 4:05 pm", "ymd", "2026-03-03"),
        ("3. März 2026", "mdy", "2026-03-03"),
        ("28.11.2026", "mdy", "2026-11-28"),
        ("28.11.26 8.15", "mdy", "2026-11-28"),
        ("28/11/2026", "mdy", None),
        ("20261128", "dmy", "2026-11-28"),
        ("20261328", "dmy", None),
        ("1er mars 2026", "mdy", "2026-03-01"),
        ("3 de marzo de 2026", "mdy", "2026-03-03"),
        ("March 3rd, 2026", "dmy", "2026-03-03"),
        ("the 3rd of March 2026", "mdy", "2026-03-03"),
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


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("NL", "NL"),
        ("nl", "NL"),
        ("NLD", "NL"),
        ("Niederlande", "NL"),
        ("Pays-Bas", "NL"),
        ("Países Bajos", "NL"),
        ("ÖSTERREICH", "AT"),
        ("United  Kingdom", "GB"),
        ("UK", "GB"),
        ("EIRE", "IE"),
        ("USA", "US"),
        ("Éire", "IE"),
        ("Atlantis", None),
        ("ZZ", None),
        ("European Union", None),
    ],
)
def test_countries_by_code_and_by_name_in_several_languages(text, code):
    assert country_code(text) == code
    column = Column("country", "Country", "country")
    if code is None:
        with pytest.raises(Refused, match="must be a country"):
            read_cell(text, column, CellReading(), "EUR")
    else:
        assert read_cell(text, column, CellReading(), "EUR") == code


def test_numbers_and_dates_are_guessed_from_all_samples():
    assert guess_decimal(["5", "1.234,50", "7,5"]) == ","
    assert guess_date_order(["03/04/2026", "03/25/2026"]) == "mdy"
    assert guess_date_order(["28/11/2026", "Nov 28, 2026", "2026-11-28"]) == "dmy"
    assert guess_date_order(["28/11/2026", "27/11/2026", "11/28/2026"]) == "dmy"
    assert plain_text(datetime(2026, 3, 31)) == "2026-03-31" == plain_text(date(2026, 3, 31))
