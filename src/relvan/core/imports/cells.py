"""Reads one cell of a file: numbers, amounts, dates and codes, in the many ways in which people
write them."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import ROUND_HALF_UP, Decimal, InvalidOperation
from typing import Any, cast

from relvan.core.imports.columns import Column
from relvan.core.imports.days import date_parts, names_month
from relvan.core.imports.places import country_code
from relvan.core.money import MOST_MINOR, minor_digits
from relvan.core.refusal import Refused, refuse

Raw = str | int | float | bool | date | datetime | None
MOST_CELL = 32_767  # what a spreadsheet's cell can hold
DATE_ORDERS = ("ymd", "dmy", "mdy")
# a unit that a file may use -> how many of ours it is
UNITS: dict[str, dict[str, Decimal]] = {
    "g": {
        "g": Decimal(1),
        "kg": Decimal(1000),
        "oz": Decimal("28.349523125"),
        "lb": Decimal("453.59237"),
    },
    "mm": {"mm": Decimal(1), "cm": Decimal(10), "m": Decimal(1000), "in": Decimal("25.4")},
}
AS_WRITTEN = ("text", "lines", "code")  # forms of columns whose cells are taken as they are written
# also in the languages of the neighbours, as names of countries and headings are understood
YES = {
    *("yes", "y", "true", "1", "x", "on"),
    *("ja", "j", "wahr", "waar", "oui", "vrai", "sí", "si", "sì", "sim", "vero", "tak"),
}
NO = {
    *("no", "n", "false", "0", "off", "-"),
    *("nein", "falsch", "nee", "onwaar", "non", "faux", "não", "nao", "falso", "nie", "nej"),
}
FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


class Unsettled(str):
    """A formula whose result is not in the file, so that the value of the cell is not known."""

    __slots__ = ()


@dataclass(frozen=True)
class CellReading:
    """How the cells of a column are read: the decimal sign, the order of dates, the unit of the
    file, or a constant instead of the cell."""

    decimal: str = "."
    dates: str = "ymd"
    unit: str = ""
    constant: str = ""


_AROUND = " \t\r\n\u00a0\ufeff"
_SPACES = str.maketrans("\u00a0\u202f", "  ")
# decimal sign -> the form of a number written with it, and the signs that only group its digits
_NUMBERS = {
    decimal: (
        re.compile(
            rf"(?:\d+|\d{{1,3}}(?:[{re.escape(group)} '’]\d{{3}})+)?(?:{re.escape(decimal)}\d+)?"
        ),
        str.maketrans("", "", f"{group} '’"),
    )
    for decimal, group in ((".", ","), (",", "."))
}


def plain_text(raw: Raw) -> str:
    """Returns a cell as text without spaces around it. Whole numbers have no point, dates are in
    ISO 8601.

    A leading apostrophe, which keeps a spreadsheet from reading a formula, is removed.
    """
    if not isinstance(raw, str):
        return _plain_value(raw)
    text = raw.strip(_AROUND)
    if "\r" in text:
        text = text.replace("\r\n", "\n").replace("\r", "\n")
    return (
        text[1:]
        if text[:1] == "'" and text[1:2] in (*FORMULA_STARTS, "'") and len(text) > 1
        else text
    )


def plain_texts(raws: Sequence[Raw]) -> list[str | None] | None:
    """Returns the cells of a column that is taken as it is written, with None for empty ones. The
    result is None when a cell is no ordinary text, so that all are to be read one by one."""
    if {*map(type, raws)} != {str}:
        return None
    texts = cast(Sequence[str], raws)
    together = "\n".join(("", *texts, ""))
    if "\r" in together or "'" in together or max(map(len, texts)) > MOST_CELL:
        return None
    if not any(
        f"\n{space}" in together or f"{space}\n" in together for space in _AROUND
    ):  # nor is a cell empty
        return list(texts)
    return [text.strip(_AROUND) or None for text in texts]


def _plain_value(raw: Raw) -> str:
    if raw is None:
        return ""
    if isinstance(raw, bool):
        return "yes" if raw else "no"
    if isinstance(raw, float):
        return str(int(raw)) if raw.is_integer() and abs(raw) < 1e15 else repr(raw)
    if isinstance(raw, datetime):
        return raw.date().isoformat() if raw.time() == datetime.min.time() else raw.isoformat(" ")
    return raw.isoformat() if isinstance(raw, date) else str(raw)


def safe_text(text: str) -> str:
    """Returns the text in a form that no spreadsheet takes for a formula.

    >>> safe_text("=1+1"), plain_text(safe_text("=1+1"))
    ("'=1+1", '=1+1')
    """
    if text.startswith(
        ("\t", "\r")
    ):  # reading a cell drops them; a spreadsheet may take what follows for a formula
        text = text.lstrip("\t\r ")
    return f"'{text}" if text.startswith(FORMULA_STARTS) or text.startswith("'") else text


def read_cell(raw: Raw, column: Column, how: CellReading, currency: str) -> Any:
    """Reads the value of a cell: a text, a whole number, minor units, yes or no, or a list of
    codes; None when the cell is empty.

    A cell that does not have the form of its column is refused; the refusal names the column.
    """
    if isinstance(raw, Unsettled):
        message = f"“{column.heading}” holds the formula “{raw[:40]}” without its result."
        raise refuse(
            "formula",
            message,
            "Open the file in a spreadsheet, save it, and send it again.",
            column.name,
        )
    text = plain_text(raw) or how.constant
    if not text:
        return None
    if len(text) > MOST_CELL:
        raise _wrong(column, f"{text[:20]}…", f"at most {MOST_CELL:,} characters")
    if column.form == "whole":
        return _whole(text, column, how)
    if column.form == "amount":
        return _amount_in_cell(text, column, how, currency)
    if column.form == "flag":
        return _flag(text, column)
    if column.form == "list":
        return [part.strip() for part in re.split(r"[;,\n]", text) if part.strip()]
    if column.form == "date":
        return read_date(text, column, how.dates)
    if column.form == "country":
        if (code := country_code(text)) is None:
            raise _wrong(column, text, "a country, by its name or its code of two letters")
        return code
    if column.form == "number":
        return f"{_decimal(text, column, how, 'a number').normalize():f}"
    return text


def _wrong(column: Column, text: str, wanted: str) -> Refused:
    message = f"“{column.heading}” must be {wanted}; it got “{text[:60]}”."
    return refuse("form", message, "Correct the cell.", column.name)


def read_number(text: str, decimal: str) -> Decimal | None:
    """Reads a number that is written with this decimal sign and possibly with groups of three
    digits; None when it is no number.

    >>> read_number("1.234,50", ","), read_number("1 234.50", "."), read_number("1.234", ".")
    (Decimal('1234.50'), Decimal('1234.50'), Decimal('1.234'))
    """
    bare = text.translate(_SPACES).strip()
    sign, bare = ("-", bare[1:]) if bare.startswith(("-", "\u2212")) else ("", bare)
    if bare.isascii() and bare.isdigit():
        return Decimal(sign + bare)
    form, gone = _NUMBERS[decimal]
    if not form.fullmatch(bare) or not any(c.isdigit() for c in bare):
        return None
    cleaned = bare.translate(gone).replace(decimal, ".")
    try:
        return Decimal(sign + cleaned)
    except InvalidOperation:
        return None


def _decimal(text: str, column: Column, how: CellReading, wanted: str) -> Decimal:
    value = read_number(text, how.decimal)
    if value is None and re.fullmatch(r"-?\d+(\.\d+)?(e[+-]?\d+)?", text):
        value = Decimal(text)  # a number cell of a spreadsheet, whatever the column's sign
    if value is None:
        raise _wrong(column, text, wanted)
    return value


def _whole(text: str, column: Column, how: CellReading) -> int:
    bare, unit = text, how.unit
    if column.unit:
        match = re.fullmatch(r"(.*?)\s*([a-zA-Z]+)", text)
        if match and match[2].casefold() in UNITS[column.unit]:
            bare, unit = match[1], match[2].casefold()
    value = _decimal(
        bare, column, how, f"a whole number{f' of {column.unit}' if column.unit else ''}"
    )
    if column.unit and unit:
        value = (value * UNITS[column.unit][unit]).quantize(Decimal(1), ROUND_HALF_UP)
    if value != value.to_integral_value() or abs(value) > 2_000_000_000:
        raise _wrong(column, text, "a whole number")
    return int(value)


_CURRENCY = re.compile(r"^(€|\$|£|CHF|EUR|USD|GBP)\s*|\s*(€|\$|£|CHF|EUR|USD|GBP)$")


def _amount_in_cell(text: str, column: Column, how: CellReading, currency: str) -> int:
    bare = text if text[0].isdigit() and text[-1].isdigit() else _CURRENCY.sub("", text)
    value = _decimal(bare, column, how, f"an amount in {currency}")
    minor = value.scaleb(minor_digits(currency))
    if minor != minor.to_integral_value():
        rounded = minor.quantize(Decimal(1), ROUND_HALF_UP)
        if abs(rounded - minor) > Decimal(
            "0.000001"
        ):  # 16.900000000000002 of a spreadsheet is 16.90
            raise _wrong(column, text, f"an amount with at most {minor_digits(currency)} decimals")
        minor = rounded
    if not 0 <= minor <= MOST_MINOR:
        raise _wrong(column, text, "between 0 and 99,999,999.99")
    return int(minor)


def _flag(text: str, column: Column) -> bool:
    if text.casefold() in YES:
        return True
    if text.casefold() in NO:
        return False
    raise _wrong(column, text, "yes or no")


_WITH_POINTS = re.compile(r"\s*\d{1,2}\.\s?\d{1,2}\.\s?\d{2}")


def read_date(text: str, column: Column, order: str) -> str:
    """Reads a date and returns it in ISO 8601; a time of day is left out. `order` says in which
    order its parts are: `2026-03-31`, `31.03.2026` or `3/31/26`. A date that begins with its year, or
    names its month as in `3 March 2026`, says its order itself; with points the day goes before the
    month wherever dates are written with points."""
    parts = date_parts(text)
    if len(parts) != 3 or not all(part.isascii() and part.isdigit() for part in parts):
        raise _wrong(column, text, "a date")
    if len(parts[0]) == 4:
        order = "ymd"
    elif (month := names_month(text)) is not None:
        order = "mdy" if month == 0 else "dmy"
    elif order == "mdy" and _WITH_POINTS.match(text):
        order = "dmy"
    by_letter = dict(zip(order, map(int, parts), strict=True))
    year = by_letter["y"] + (2000 if by_letter["y"] < 100 else 0)
    try:
        return date(year, by_letter["m"], by_letter["d"]).isoformat()
    except ValueError:
        raise _wrong(column, text, "a date") from None


def guess_decimal(samples: Sequence[str]) -> str:
    """Guesses the decimal sign of the numbers of a column. It is a point unless something speaks
    for a comma.

    >>> guess_decimal(["16,90", "1.234,50"]), guess_decimal(["1,234", "12.5"]), guess_decimal(["1,234"])
    (',', '.', '.')
    """
    comma = sum(bool(re.search(r",\d{1,2}$|,\d{4,}$|\.\d{3},", text)) for text in samples)
    point = sum(bool(re.search(r"\.\d{1,2}$|\.\d{4,}$|,\d{3}\.", text)) for text in samples)
    return "," if comma > point else "."


def guess_date_order(samples: Sequence[str]) -> str:
    """Guesses whether the dates of a column have the year, the day or the month first, from the
    numbers that cannot be a month. Where some speak for the day and others for the month, more of
    them decide.

    >>> guess_date_order(["31.03.2026"]), guess_date_order(["03/31/2026"]), guess_date_order(["2026-03-31"])
    ('dmy', 'mdy', 'ymd')
    """
    # dates with the year first or with the name of a month are read as such whatever the order
    open_ones = [text for text in samples if not re.match(r"\d{4}[-./]", text)]
    split = [date_parts(text) for text in open_ones if names_month(text) is None]
    numbers = [
        [int(part) for part in parts]
        for parts in split
        if len(parts) == 3 and all(p.isdigit() for p in parts)
    ]
    if not numbers or any(parts[0] > 31 for parts in numbers):
        return "ymd"
    month_first = sum(parts[1] > 12 for parts in numbers)
    day_first = sum(parts[0] > 12 for parts in numbers)
    return "mdy" if month_first > day_first else "dmy"
