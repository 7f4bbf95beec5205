"""Series of numbers: how the numbers of orders, shipments and pick lists are written."""

import re
from enum import StrEnum

from relvan.core.refusal import Refusal

MOST_PATTERN = 30
MOST_DIGITS = 9
PLACE = re.compile(r"\{(number|year)(?::0(\d))?\}")
PLAIN = re.compile(r"[A-Za-z0-9/._\-]*")


class Series(StrEnum):
    """What is numbered; the value is the name of its counter."""

    ORDER = "O"
    SHIPMENT = "S"
    PICK_LIST = "L"


SERIES_NAMES = {Series.ORDER: "order", Series.SHIPMENT: "shipment", Series.PICK_LIST: "pick list"}


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
    otherwise letters, digits, and - . / _ only.
    """
    places = [place[1] for place in PLACE.finditer(pattern)]
    plain = PLACE.sub("", pattern)
    fix = "Type it like A-{number} or A-{year}-{number:05}."
    if len(pattern) > MOST_PATTERN:
        return [
            Refusal(
                "too-long", f"“{label}” must have at most {MOST_PATTERN} characters.", fix, name
            )
        ]
    if places.count("number") != 1 or places.count("year") > 1:
        message = f"“{label}” must have {{number}} once; it got “{pattern}”."
        return [Refusal("form", message, fix, name)]
    if not PLAIN.fullmatch(plain):
        message = f"“{label}” must have letters, digits, - . / and _ beside its places; it got “{pattern}”."
        return [Refusal("form", message, fix, name)]
    if re.search(
        r"\{number[^}]*\}\{year|\{year[^}]*\}\{number|\d\{number|\{number[^}]*\}\d", pattern
    ):
        message = f"In “{pattern}” nobody could tell where the number begins or ends."
        return [Refusal("form", message, "Put a dash or a letter beside {number}.", name)]
    return []
