"""Says which column of a file is which fact. The mapping is guessed from headings and values,
corrected by a person, and kept by name."""

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any

from relvan.core.catalogue.identity import check_gtin
from relvan.core.imports.cells import (
    DATE_ORDERS,
    UNITS,
    CellReading,
    Raw,
    guess_date_order,
    guess_decimal,
    plain_text,
)
from relvan.core.imports.columns import Column, FileKind, Kind
from relvan.core.imports.kinds import KINDS
from relvan.core.refusal import Refusal, refuse

MOST_COLUMNS = 400
MOST_HEADER_ROWS = 15
UNIT_WORDS = {
    "gram": "g",
    "grams": "g",
    "kilogram": "kg",
    "kilograms": "kg",
    "cm": "cm",
    "mm": "mm",
    "m": "m",
    "kg": "kg",
    "g": "g",
    "inch": "in",
    "inches": "in",
    "in": "in",
    "lb": "lb",
    "oz": "oz",
}


@dataclass(frozen=True)
class MappedColumn:
    """One column of a file: its heading in the file, the fact that it is (empty when it is
    skipped), and how its cells are read."""

    heading: str
    name: str
    reading: CellReading = CellReading()


@lru_cache(4096)
def norm(heading: str) -> str:
    """Returns a heading in the form in which headings are compared: in lower case, with one space
    between words, without units and punctuation.

    >>> norm("Weight (kg) *"), norm("Product_Code:")
    ('weight', 'product code')
    """
    text = re.sub(r"[\(\[].*?[\)\]]", " ", heading.casefold())
    words = re.sub(r"[^\w]+|_", " ", text).split()
    return " ".join(words)


def unit_of(heading: str) -> str:
    """Returns the unit that a heading names, as in `Weight (kg)` or `Length cm`; it is empty when
    there is none."""
    words = re.findall(r"[a-zA-Z]+", heading.casefold())
    return (
        next((UNIT_WORDS[word] for word in reversed(words) if word in UNIT_WORDS), "")
        if len(words) > 1
        else ""
    )


def guess_mapping(
    kind: Kind,
    headings: Sequence[str],
    samples: Sequence[Sequence[Raw]],
    *,
    lists: Collection[str] = (),
    known_skus: Collection[str] = (),
) -> list[MappedColumn]:
    """Guesses a fact for every column that is likely one, each fact once; the other columns are
    skipped.

    Headings count first. For facts that are still missing the values count: valid GTINs are the
    GTIN, known SKUs the SKU. `samples` are the first rows; `known_skus` are those of their cells
    that are SKUs, in lower case.
    """
    taken: set[str] = set()
    guessed: list[str] = []
    for heading in headings[:MOST_COLUMNS]:
        name = _by_heading(kind, heading, lists)
        if name in taken:
            name = ""
        taken.add(name)
        guessed.append(name)
    columns = [
        [plain_text(row[n]) if n < len(row) else "" for row in samples] for n in range(len(guessed))
    ]
    _by_values(kind, guessed, columns, taken, {sku.casefold() for sku in known_skus})
    _by_traits(kind, headings, guessed, columns)
    return [
        MappedColumn(heading, name, guess_reading(kind.column(name), heading, values))
        for heading, name, values in zip(headings, guessed, columns, strict=False)
    ]


def _by_heading(kind: Kind, heading: str, lists: Collection[str]) -> str:
    words = norm(heading)
    if not words:
        return ""
    for column in kind.columns:
        if words in {
            norm(column.heading),
            norm(column.name),
            norm(f"{column.heading} {column.unit}"),
        }:
            return column.name
    group, colon, rest = heading.partition(":")
    if colon and norm(group) in kind.many and rest.strip():
        return f"{norm(group)} {rest.strip()}"
    without_unit = " ".join(word for word in words.split() if word not in UNIT_WORDS)
    for column in kind.columns:
        if without_unit in {norm(other) for other in (*column.also, column.heading)}:
            return column.name
    if "price" in kind.many:
        for key in lists:
            if words in {f"{norm(key)} price", f"price {norm(key)}"}:
                return f"price {key}"
        if words == "price" and lists:
            return f"price {next(iter(lists))}"
    return ""


def _by_values(
    kind: Kind,
    guessed: list[str],
    columns: Sequence[Sequence[str]],
    taken: set[str],
    known: Collection[str],
) -> None:
    for wanted, fits in (
        ("gtin", _looks_like_gtin),
        ("sku", lambda text: text.casefold() in known),
    ):
        if wanted in taken or kind.column(wanted) is None:
            continue
        for n, values in enumerate(columns):
            filled = [value for value in values if value]
            if not guessed[n] and len(filled) >= 3 and sum(map(fits, filled)) >= 0.8 * len(filled):
                guessed[n] = wanted
                break


MOST_TRAIT_VALUE = 64  # letters; a longer text is no value that variants differ by


def _by_traits(
    kind: Kind, headings: Sequence[str], guessed: list[str], columns: Sequence[Sequence[str]]
) -> None:
    """Takes columns that name no field as traits: all of them in a file of families; in a file of
    products that names the family of each product, those that only have values in rows with a
    family."""
    if kind.key == FileKind.FAMILIES and "trait_1" not in guessed:
        in_family = None
    elif kind.key == FileKind.PRODUCTS and "family" in guessed:
        in_family = [bool(text) for text in columns[guessed.index("family")]]
    else:
        return
    for n, values in enumerate(columns):
        filled = [(value, at) for at, value in enumerate(values) if value]
        if guessed[n] or not filled or headings[n] == unnamed(n) or _is_product_field(headings[n]):
            continue
        fits = all(
            len(value) <= MOST_TRAIT_VALUE and (in_family is None or in_family[at])
            for value, at in filled
        )
        if fits:
            guessed[n] = f"trait {' '.join(headings[n].split())}"


def _is_product_field(heading: str) -> bool:
    """Says whether a heading means a field of products that this kind of file does not take."""
    return bool(_by_heading(KINDS[FileKind.PRODUCTS], heading, ()))


def _looks_like_gtin(text: str) -> bool:
    return len(text) >= 8 and not check_gtin(text)


def guess_reading(column: Column | None, heading: str, values: Sequence[str]) -> CellReading:
    """Guesses how the cells of a column are written."""
    filled = [value for value in values if value]
    unit = unit_of(heading)
    if column is None or not column.unit or unit not in UNITS[column.unit]:
        unit = ""
    return CellReading(guess_decimal(filled), guess_date_order(filled), unit)


def find_header(rows: Sequence[Sequence[Raw]], kind: Kind) -> int:
    """Returns which of the first rows holds the headings: the row with the most headings that this
    kind knows, else the row with the most cells."""
    scored = []
    for n, row in enumerate(rows[:MOST_HEADER_ROWS]):
        texts = [plain_text(cell) for cell in row]
        known = sum(bool(_by_heading(kind, text, ())) for text in texts)
        scored.append((known, sum(map(bool, texts)), -n))
    best = max(scored, default=(0, 0, 0))
    return -best[2]


def headings_of(rows: Sequence[Sequence[Raw]], header: int) -> list[str]:
    """Returns the headings. Where the row above has one merged cell over several columns, its text
    comes before each of their headings.

    A column without a heading is called by its letter, as in a spreadsheet.
    """
    row = [plain_text(cell) for cell in rows[header]] if header < len(rows) else []
    above = [plain_text(cell) for cell in rows[header - 1]] if header else []
    merged = (
        _spread(above, len(row))
        if above and sum(map(bool, above)) < len(above)
        else [""] * len(row)
    )
    doubled = {text.casefold() for text in row if text and row.count(text) > 1}
    found = []
    for n, text in enumerate(row):
        over = merged[n] if text.casefold() in doubled else ""
        found.append(f"{over} {text}".strip() or unnamed(n))
    return found


def unnamed(n: int) -> str:
    """Returns the name of a column without a heading."""
    return f"column {letter(n)}"


def _spread(row: Sequence[str], width: int) -> list[str]:
    """Returns a row of merged cells with each text repeated up to the next one."""
    found, last = [], ""
    for n in range(width):
        last = row[n] if n < len(row) and row[n] else last
        found.append(last)
    return found


def letter(n: int) -> str:
    """Returns the letter of a column: 0 is A, 26 is AA."""
    text = ""
    n += 1
    while n:
        n, rest = divmod(n - 1, 26)
        text = chr(65 + rest) + text
    return text


def check_mapping(kind: Kind, columns: Sequence[MappedColumn]) -> list[Refusal]:
    """Checks a mapping: this kind of file knows every fact, no fact is named twice, and no required
    fact is missing."""
    found: list[Refusal] = []
    named = [column.name for column in columns if column.name]
    for name in named:
        if kind.column(name) is None:
            found.append(
                Refusal(
                    "unknown",
                    f"“{name}” is no column of {kind.title}.",
                    "Choose another.",
                    "mapping",
                )
            )
        if named.count(name) > 1:
            message = f"“{_heading(kind, name)}” is mapped twice."
            found.append(Refusal("twice", message, "Leave one of the columns out.", "mapping"))
    for column in kind.required:
        if column.name not in named:
            message = f"No column is “{column.heading}”."
            found.append(Refusal("missing", message, "Say which column it is.", "mapping"))
    return list(dict.fromkeys(found))


def _heading(kind: Kind, name: str) -> str:
    column = kind.column(name)
    return column.heading if column else name


def mapping_data(columns: Sequence[MappedColumn]) -> list[dict[str, Any]]:
    """Returns a mapping as plain data."""
    return [
        {"heading": column.heading, "name": column.name, **asdict(column.reading)}
        for column in columns
    ]


COLUMN_NAMES = frozenset(("heading", "name", "decimal", "dates", "unit", "constant"))


def _is_said(name: str, value: object) -> bool:
    """Says whether a column of a mapping may have this value under this name."""
    fitting = str | int | float if name == "constant" else str
    nothing = value is None and name != "heading"
    said = isinstance(value, fitting) and not isinstance(value, bool)
    return name in COLUMN_NAMES and (nothing or said)


def mapping_from(data: Sequence[Mapping[str, Any]]) -> list[MappedColumn]:
    """Reads a mapping from plain data. Data of another form are refused."""
    found = []
    try:
        for item in data:
            if not all(_is_said(name, value) for name, value in item.items()):
                raise ValueError(item)
            how = CellReading(
                str(item.get("decimal") or "."),
                str(item.get("dates") or "ymd"),
                str(item.get("unit") or ""),
                str(item.get("constant") or ""),
            )
            if how.decimal not in ".," or how.dates not in DATE_ORDERS:
                raise ValueError(how)
            found.append(MappedColumn(str(item["heading"]), str(item.get("name") or ""), how))
    except (KeyError, TypeError, ValueError, AttributeError):
        example = '[{"heading": "Item", "name": "sku"}]'
        raise refuse(
            "form", "“mapping” must be a list of columns.", f"Like {example}.", "mapping"
        ) from None
    return found


def remap(kept: Sequence[MappedColumn], headings: Sequence[str]) -> list[MappedColumn]:
    """Applies a kept mapping to another file; columns are found by their headings."""
    by_heading = {norm(column.heading): column for column in kept}
    found = []
    for heading in headings:
        same = by_heading.get(norm(heading))
        found.append(
            MappedColumn(
                heading, same.name if same else "", same.reading if same else CellReading()
            )
        )
    return found
