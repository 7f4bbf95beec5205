"""Goods that must be used by a day: what a GS1 barcode says of them, and which date a bin goes by.

Source of the element strings: GS1 General Specifications, section 3 (application identifiers) and section
7.12 (the century of a date of two digits).
"""

import re
from dataclasses import dataclass
from datetime import date, timedelta

from relvan.core.refusal import Refusal

GROUP_END = "\x1d"
SYMBOLS = ("]C1", "]e0", "]d2", "]Q3")  # what scanners send before a GS1 code, by symbology
# identifier -> how many signs follow it; others are as long as they like, up to a sign of separation
FIXED = {
    "00": 18,
    "01": 14,
    "02": 14,
    "11": 6,
    "12": 6,
    "13": 6,
    "15": 6,
    "16": 6,
    "17": 6,
    "20": 2,
}
LATELY = date(2026, 1, 1)  # where only the number matters, and not the century of a date
EXPIRY, BEST_BEFORE, GTIN = "17", "15", "01"


@dataclass(frozen=True)
class Gs1Code:
    """What a GS1 barcode says: the number of the goods (14 digits), and the day by which they must be used
    or before which they are at their best, where it says one."""

    gtin: str
    use_by: date | None = None


def read_gs1(code: str, today: date = LATELY) -> Gs1Code | None:
    """Reads what a scanner sends of a GS1 barcode with the number of goods, or what stands under it in round
    brackets; None for any other code.

    >>> read_gs1("010400638133393117270331", date(2026, 11, 30))
    Gs1Code(gtin='04006381333931', use_by=datetime.date(2027, 3, 31))
    >>> read_gs1("(01)04006381333931(17)270200(10)A7", date(2026, 11, 30)).use_by
    datetime.date(2027, 2, 28)
    >>> read_gs1("PT-14", date(2026, 11, 30)) is None
    True
    """
    for symbol in SYMBOLS:
        code = code.removeprefix(symbol)
    found = (
        dict(re.findall(r"\((\d{2,4})\)([^()]*)", code)) if code.startswith("(") else _parts(code)
    )
    gtin = found.get(GTIN, "")
    if not re.fullmatch(r"[0-9]{14}", gtin):
        return None
    told = found.get(EXPIRY) or found.get(BEST_BEFORE) or ""
    return Gs1Code(gtin, _day(told, today))


def _parts(code: str) -> dict[str, str]:
    found = {}
    rest = code
    while len(rest) > 2:
        name = rest[:2]
        if name in FIXED:
            value, rest = rest[2 : 2 + FIXED[name]], rest[2 + FIXED[name] :].lstrip(GROUP_END)
        elif GROUP_END in rest:
            value, _, rest = rest[2:].partition(GROUP_END)
        else:
            value, rest = rest[2:], ""
        found[name] = value
    return found


def _day(told: str, today: date) -> date | None:
    if not re.fullmatch(r"[0-9]{6}", told):
        return None
    short, month, day = int(told[:2]), int(told[2:4]), int(told[4:])
    ahead = short - today.year % 100
    century = today.year // 100 * 100 + (-100 if ahead >= 51 else 100 if ahead <= -50 else 0)
    try:
        if day:
            return date(century + short, month, day)
        in_next = date(century + short, month, 1) + timedelta(days=31)
        return in_next.replace(day=1) - timedelta(days=1)  # no day means the end of the month
    except ValueError:
        return None


def earliest(there: str | None, units: int, comes: str | None) -> str | None:
    """Returns the date (ISO 8601) that a bin goes by once goods have come into it: the earlier one of its own,
    as long as it held units, and theirs.

    >>> earliest("2027-03-31", 4, "2027-01-15")
    '2027-01-15'
    >>> earliest("2027-03-31", 0, "2027-05-01")
    '2027-05-01'
    >>> earliest("2027-03-31", 4, None)
    '2027-03-31'
    """
    dates = [day for day in (there if units > 0 else None, comes) if day]
    return min(dates, default=None)


def check_use_by(told: str) -> list[Refusal]:
    """Checks the day by which goods must be used; it may be empty."""
    if not told:
        return []
    try:
        date.fromisoformat(told)
    except ValueError:
        message = f"“Use by” must be a day; it got “{told[:40]}”."
        return [Refusal("form", message, "Type it like 2027-03-31.", "use_by")]
    return []
