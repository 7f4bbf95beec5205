"""Series of numbers: how the numbers of orders, shipments and pick lists are written."""

import re
from enum import StrEnum

from relvan.core.refusal import Refusal

MOST_PATTERN = 30
PLACE = re.compile(r"\{(number|year)(?::0([1-9]))?\}")
_ANY, _MARK = "[A-Za-z0-9/._-]*", "[A-Za-z/._-]"  # a mark is no digit: it ends a number
_NUMBER, _YEAR = r"\{number(?::0[1-9])?\}", r"\{year\}"
PATTERN = re.compile(
    f"(?:{_ANY}{_MARK})?{_NUMBER}(?:{_MARK}{_ANY}(?:{_YEAR}{_ANY})?)?"
    f"|{_ANY}{_YEAR}{_ANY}{_MARK}{_NUMBER}(?:{_MARK}{_ANY})?"
)


class Series(StrEnum):
    """What is numbered; the value is the name of its counter."""

    ORDER = "O"
    SHIPMENT = "S"
    PICK_LIST = "L"
    INVOICE = "I"
    CREDIT_NOTE = "C"
    CUSTOMER = "K"
    ESTIMATE = "E"
    RETURN = "R"
    MANIFEST = "M"


SERIES_NAMES = {
    Series.ORDER: "order",
    Series.SHIPMENT: "shipment",
    Series.PICK_LIST: "pick list",
    Series.INVOICE: "invoice",
    Series.CREDIT_NOTE: "credit note",
    Series.CUSTOMER: "customer",
    Series.ESTIMATE: "estimate",
    Series.RETURN: "return",
    Series.MANIFEST: "manifest",
}
# the numbers of these follow one another without holes, as the law wants it
WITHOUT_HOLES = (Series.INVOICE, Series.CREDIT_NOTE)


def usual_pattern(series: str) -> str:
    """Returns the pattern of a series that nobody has changed, such as O-{number}."""
    return f"{series}-{{number}}"


def write_number(pattern: str, number: int, year: int) -> str:
    """Returns a number as it is read aloud.

    >>> write_number("A-{year}-{number:05}", 42, 2026)
    'A-2026-00042'
    """

    def written(place: re.Match[str]) -> str:
        value = number if place[1] == "number" else year
        return str(value).zfill(int(place[2] or 0))

    return PLACE.sub(written, pattern)


def check_pattern(name: str, label: str, pattern: str) -> list[Refusal]:
    """Checks a pattern: it has the place of the number once, at most one place of the year, and
    otherwise letters, digits, and - . / _ only. No digit and no year stands beside the number, so
    that one can tell where it begins and ends.
    """
    fix = "Type it like A-{number} or A-{year}-{number:05}."
    if len(pattern) > MOST_PATTERN:
        message = f"“{label}” must have at most {MOST_PATTERN} characters."
        return [Refusal("too-long", message, fix, name)]
    if PATTERN.fullmatch(pattern):
        return []
    message = (
        f"“{label}” must have {{number}} once, between letters and - . / _; it got “{pattern}”."
    )
    return [Refusal("form", message, fix, name)]
