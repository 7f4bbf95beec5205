"""Zones of a warehouse: aisles that somebody picks in, as people write them."""

from relvan.core.picking.places import parts_of
from relvan.core.refusal import refuse

MOST_AISLES = 200


def read_zone(text: str) -> frozenset[str]:
    """Returns the names of the aisles of a zone: names with commas or spaces between them, and ranges of
    single letters or of numbers.

    >>> sorted(read_zone("a-c, Y1 07-08"))
    ['07', '08', 'A', 'B', 'C', 'Y1']

    Raises:
        Refused: if a range cannot be, or there are more than 200 aisles.
    """
    found: set[str] = set()
    for part in text.upper().replace(",", " ").split():
        first, dash, last = part.partition("-")
        if not dash:
            found.add(first)
        elif len(first) == len(last) == 1 and first.isalpha() and last.isalpha() and first <= last:
            found.update(chr(code) for code in range(ord(first), ord(last) + 1))
        elif first.isdigit() and last.isdigit() and 0 <= int(last) - int(first) < MOST_AISLES:
            numbers = range(int(first), int(last) + 1)
            found.update(str(number).zfill(len(first)) for number in numbers)
        else:
            message = f"“{part[:20]}” is no range of aisles."
            raise refuse("form", message, "Write it like A-D, Y1.", "zone")
    if len(found) > MOST_AISLES:
        raise refuse("too-many", "A zone has at most 200 aisles.", "Name fewer.", "zone")
    return frozenset(found)


def is_in_zone(code: str, zone: frozenset[str]) -> bool:
    """Says whether a bin lies in a zone, by its code.

    >>> is_in_zone("A-03", read_zone("A-D")), is_in_zone("FLOOR", read_zone("A-D"))
    (True, False)
    """
    parts = parts_of(code)
    return parts is not None and parts[0] in zone
