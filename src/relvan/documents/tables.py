"""Reads tables from CSV, XLSX, XLS and ODS files and writes CSV and XLSX. Nothing in them is ever
taken for a formula.
"""

import csv
import io
import itertools
import zipfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any

import xlsxwriter
from charset_normalizer import from_bytes
from python_calamine import CalamineWorkbook

from relvan.core.imports.cells import MOST_CELL, Raw, Unsettled, safe_text
from relvan.core.refusal import refuse
from relvan.documents.formulas import formulas_without_result

SPREADSHEETS = (".xlsx", ".xls", ".ods", ".xlsm", ".xlsb")
MOST_UNPACKED = 600_000_000
MOST_TIMES = 200  # a sheet of text packs down to a tenth; two hundred times is a bomb
MOST_ROWS = 1_000_000
MOST_FIELD = 1_000_000
SAMPLE_BYTES = 200_000
DELIMITERS = ",;\t|"
csv.field_size_limit(MOST_FIELD)


@dataclass(frozen=True)
class CsvForm:
    """How a text file is written: its encoding and the sign between its cells."""

    encoding: str = "utf-8"
    delimiter: str = ","


@dataclass(frozen=True)
class TableFile:
    """A table in a file: the file, the name under which it came, the sheet, and how text is
    written.
    """

    path: Path
    name: str
    sheet: str = ""
    form: CsvForm | None = None

    @property
    def is_spreadsheet(self) -> bool:
        """Whether it is a workbook, not text."""
        return Path(self.name).suffix.casefold() in SPREADSHEETS


def sheets_of(file: TableFile) -> list[str]:
    """Returns the sheets of a workbook; a text file has none."""
    if not file.is_spreadsheet:
        return []
    with _workbook(file) as book:
        return list(book.sheet_names)


@contextmanager
def rows_of(file: TableFile) -> Iterator[Iterator[Sequence[Raw]]]:
    """Yields the rows of a table. A table that cannot be read whole is refused."""
    if file.is_spreadsheet:
        with _workbook(file) as book:
            yield _sheet_rows(book, file)
    else:
        form = file.form or guess_form(file.path)
        _refuse_no_table(file)
        with open(file.path, encoding=form.encoding, errors="strict", newline="") as text:
            yield _text_rows(text, form, file)


# how files begin that are no tables but are sometimes sent as one
_NO_TABLES = {
    b"%PDF": "a PDF",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"GIF8": "a picture",
    b"RIFF": "a picture or a sound",
    b"PK\x03\x04": "a packed file",
    b"\x1f\x8b": "a packed file",
    b"7z\xbc\xaf": "a packed file",
    b"Rar!": "a packed file",
    b"SQLite format 3": "a database",
    b"\x7fELF": "a program",
    b"MZ": "a program",
    b"\xd0\xcf\x11\xe0": "a document of an older office program",
}
MOST_ODD = 0.005  # of the signs of a text; of a file of bytes more are none
LEAST_JUDGED = 200  # bytes; fewer say too little


def _refuse_no_table(file: TableFile) -> None:
    """Refuses a text file that is no table, by its first bytes or because hardly anything in it is
    text.
    """
    start = _head(file.path)
    what = next((words for sign, words in _NO_TABLES.items() if start.startswith(sign)), "")
    if not what and len(start) >= LEAST_JUDGED:
        text = start.decode(guess_encoding(start), "replace")
        odd = text.count("\0") + text.count("\ufffd")
        what = "no text" if odd > MOST_ODD * len(text) else ""
    if what:
        message = f"“{file.name}” must be a table; it holds {what}."
        raise refuse("no-table", message, "Save the sheet as CSV, XLSX, XLS or ODS.", "file")


def first_rows(file: TableFile, count: int = 60) -> list[Sequence[Raw]]:
    """Returns the first rows, for guessing and for showing."""
    with rows_of(file) as rows:
        return list(itertools.islice(rows, count))


def guess_form(path: Path) -> CsvForm:
    """Guesses encoding and delimiter of a text file from its start.

    A byte order mark decides; otherwise it is UTF-8 when the bytes fit, otherwise what the bytes
    look like, otherwise Windows-1252.
    """
    start = path.read_bytes()[:SAMPLE_BYTES] if path.stat().st_size < SAMPLE_BYTES else _head(path)
    encoding = guess_encoding(start)
    text = start.decode(encoding, "replace")
    return CsvForm(encoding, guess_delimiter(text))


def guess_encoding(start: bytes) -> str:
    """Returns the encoding in which some bytes are written."""
    if start.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if start.startswith(b"\xef\xbb\xbf"):
        return "utf-8-sig"
    try:
        start[: len(start) - 4 if len(start) >= SAMPLE_BYTES else None].decode("utf-8")
        return "utf-8" if b"\x00" not in start else _sixteen(start)
    except UnicodeDecodeError:
        pass
    if b"\x00" in start:
        return _sixteen(start)
    best = from_bytes(
        start, cp_isolation=["cp1252", "cp1250", "cp1251", "iso8859_15", "mac_roman"]
    ).best()
    high = {byte for byte in start if byte >= 0x80}
    # Western European is by far the likeliest, and its odd letters sit in the upper half of
    # Windows-1252
    if best is None or high <= set(b"\x80\x82\x84\x85\x91\x92\x93\x94\x95\x96\x97\x99\xa0") | set(
        range(0xA1, 0x100)
    ):
        return "cp1252"
    return str(best.encoding)


def _sixteen(start: bytes) -> str:
    return "utf-16-le" if start[1::2].count(0) >= start[0::2].count(0) else "utf-16-be"


def guess_delimiter(text: str) -> str:
    """Returns the sign between cells: the one that splits the first rows into the same, largest
    number of cells.
    """
    best, most = ",", (0, 0)
    for delimiter in DELIMITERS:
        try:
            rows = [
                row
                for row in itertools.islice(csv.reader(io.StringIO(text), delimiter=delimiter), 25)
                if row
            ]
        except csv.Error:
            continue
        widths = [len(row) for row in rows[:-1] or rows]
        if not widths:
            continue
        usual = max(set(widths), key=widths.count)
        score = (widths.count(usual) if usual > 1 else 0, usual)
        if score > most:
            best, most = delimiter, score
    return best


def _head(path: Path) -> bytes:
    with open(path, "rb") as file:
        return file.read(SAMPLE_BYTES)


def _text_rows(text: Iterable[str], form: CsvForm, file: TableFile) -> Iterator[Sequence[Raw]]:
    try:
        rows = csv.reader(text, delimiter=form.delimiter)
        yield from itertools.islice(rows, MOST_ROWS)
        if next(rows, None) is not None:
            raise _too_long()
    except UnicodeError:
        message = f"“{file.name}” is not written in {form.encoding}."
        raise refuse("encoding", message, "Choose another encoding.", "encoding") from None
    except csv.Error as error:
        message = f"“{file.name}” cannot be read as a table: {error}."
        raise refuse("no-table", message, "Check that it is a CSV file.", "file") from None


@contextmanager
def _workbook(file: TableFile) -> Iterator[CalamineWorkbook]:
    _refuse_bomb(file)
    broken = refuse(
        "no-table",
        f"“{file.name}” cannot be read: it is damaged or cut off.",
        "Save it again.",
        "file",
    )
    try:
        book = CalamineWorkbook.from_path(file.path)
    except Exception:
        raise broken from None
    try:
        yield book
    finally:
        book.close()


def _refuse_bomb(file: TableFile) -> None:
    """Refuses a packed file that unpacks to more than its kind ever does."""
    if file.path.read_bytes()[:2] != b"PK":
        return
    try:
        with zipfile.ZipFile(file.path) as packed:
            unpacked = sum(entry.file_size for entry in packed.infolist())
    except (zipfile.BadZipFile, OSError, ValueError):
        message = f"“{file.name}” cannot be read: it is damaged or cut off."
        raise refuse("no-table", message, "Save it again.", "file") from None
    size = max(file.path.stat().st_size, 1)
    if unpacked > MOST_UNPACKED or (unpacked > 50_000_000 and unpacked / size > MOST_TIMES):
        message = f"“{file.name}” would unpack to {unpacked // 1_000_000:,} MB."
        raise refuse("too-large", message, "Save the sheet as CSV, or in parts.", "file")


def _sheet_rows(book: CalamineWorkbook, file: TableFile) -> Iterator[Sequence[Raw]]:
    try:
        name = file.sheet if file.sheet in book.sheet_names else book.sheet_names[0]
        sheet = book.get_sheet_by_name(name)
        if sheet.end is not None and sheet.end[0] >= MOST_ROWS:  # counted from 0
            raise _too_long()
        rows: Any = sheet.to_python(skip_empty_area=False)
        _mark_formulas(
            rows, formulas_without_result(file.path, Path(file.name).suffix.casefold(), name)
        )
    except (IndexError, OSError, ValueError, ArithmeticError):
        message = f"“{file.name}” has no sheet that can be read."
        raise refuse("no-table", message, "Save it again.", "file") from None
    except Exception as error:
        if type(error).__module__.startswith("relvan"):
            raise
        message = f"“{file.name}” cannot be read: it is damaged or cut off."
        raise refuse("no-table", message, "Save it again.", "file") from None
    yield from rows


def _mark_formulas(rows: list[list[Raw]], formulas: Mapping[tuple[int, int], str]) -> None:
    """Puts a formula whose result is missing into its cell, so that whoever reads the cell refuses
    it.
    """
    for (row, column), formula in formulas.items():
        while len(rows) <= row:
            rows.append([])
        cells = rows[row]
        cells += [""] * (column + 1 - len(cells))
        cells[column] = Unsettled(formula)


def _too_long() -> Exception:
    return refuse(
        "too-large", f"A table must have at most {MOST_ROWS:,} rows.", "Send it in parts.", "file"
    )


def small_table(content: bytes) -> list[list[str]]:
    """Returns the rows of a small CSV file held in memory; its encoding and delimiter are guessed."""
    text = content.decode(guess_encoding(content), errors="replace")
    return list(
        csv.reader(io.StringIO(text.lstrip("\ufeff"), newline=""), delimiter=guess_delimiter(text))
    )


def write_csv(headings: Sequence[str], rows: Iterable[Sequence[Any]]) -> Iterator[bytes]:
    """Writes a table as CSV in UTF-8, piece by piece, with a byte order mark so that spreadsheets
    recognise the encoding.
    """
    yield "\ufeff".encode()
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    for number, row in enumerate(itertools.chain([headings], rows)):
        writer.writerow([safe_text(cell) if isinstance(cell, str) else cell for cell in row])
        if number % 500 == 499:
            yield out.getvalue().encode()
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode()


def write_xlsx(
    headings: Sequence[str], rows: Iterable[Sequence[Any]], *, required: Sequence[str] = ()
) -> bytes:
    """Writes a table as a workbook of one sheet: texts as text, numbers as numbers, required
    headings marked.
    """
    out = io.BytesIO()
    book = xlsxwriter.Workbook(
        out, {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    )
    sheet = book.add_worksheet("Rows")
    plain, marked = (
        book.add_format({"bold": True}),
        book.add_format({"bold": True, "bg_color": "#FBF0D9"}),
    )
    for column, heading in enumerate(headings):
        sheet.write_string(0, column, heading, marked if heading in required else plain)
    sheet.freeze_panes(1, 0)
    for number, row in enumerate(rows, 1):
        for column, cell in enumerate(row):
            if isinstance(cell, int | float | Decimal) and not isinstance(cell, bool):
                sheet.write_number(number, column, cell)
            elif cell not in (None, ""):
                text = str(cell)[:MOST_CELL]
                sheet.write_string(number, column, f"'{text}" if text.startswith("'") else text)
    book.close()
    return out.getvalue()
