"""Codes of bins: written out from a pattern, and put in the order in which one walks past them."""

import re
from collections.abc import Iterable, Sequence

from relvan.core.refusal import Refusal, refuse

MOST_BINS = 20_000
MOST_CODE = 40
RANGE = re.compile(r"\{(?:[a-z]{1,12}:)?([A-Za-z]|\d{1,4})-([A-Za-z]|\d{1,4})\}")
CODE = re.compile(r"[A-Z0-9](?:[A-Z0-9./_\-]*[A-Z0-9])?")

HEADS = ("bin", "bins", "code", "codes", "place", "shelf")  # of a column of codes


def written_out(pattern: str) -> list[str]:
    """Returns the codes that a pattern stands for, in the order in which they are written.

    A place such as {aisle:A-L} or {01-40} stands for each letter or number of its range; numbers
    are as long as the first of the range is written.

    >>> written_out("{aisle:A-B}-{bay:01-03}")
    ['A-01', 'A-02', 'A-03', 'B-01', 'B-02', 'B-03']

    Raises:
        Refused: if a place cannot be read, or there would be more than 20,000 codes.
    """
    codes = [""]
    end = 0
    for place in RANGE.finditer(pattern):
        steps = _range(place[1], place[2])
        if len(codes) * len(steps) > MOST_BINS:
            raise _wrong(f"“Pattern” stands for more than {MOST_BINS:,} bins.", "Make it smaller.")
        codes = [code + pattern[end : place.start()] + step for code in codes for step in steps]
        end = place.end()
    codes = [(code + pattern[end:]).strip().upper() for code in codes]
    for code in codes:
        if refusals := check_code(code, "pattern"):
            raise _wrong(refusals[0].message, "Type it like {aisle:A-L}-{bay:01-40}.")
    if len(set(codes)) < len(codes):
        raise _wrong("“Pattern” writes a code twice.", "Put a dash between its places.")
    return codes


def read_codes(text: str) -> list[str]:
    """Returns the codes of a list that was typed, one in a line or with commas between, each once.

    Raises:
        Refused: if one of them is no code.
    """
    codes = list(dict.fromkeys(part.strip().upper() for part in re.split(r"[\n,;]", text)))
    codes = [code for code in codes if code]
    for code in codes:
        if refusals := check_code(code, "codes"):
            raise refuse(refusals[0].code, refusals[0].message, refusals[0].fix, "codes")
    return codes


def codes_of_table(rows: Iterable[Sequence[str]]) -> list[str]:
    """Returns the codes in the first column of a table, each once; a head such as “bin” or “code” is
    no code.
    """
    cells = [str(row[0]).strip() for row in rows if row and str(row[0]).strip()]
    if cells and cells[0].casefold() in HEADS:
        cells = cells[1:]
    codes = read_codes("\n".join(cells))
    if not codes:
        raise refuse(
            "missing", "The file holds no codes.", "One in a row, in the first column.", "codes"
        )
    return codes


def check_code(code: str, field: str) -> list[Refusal]:
    """Checks the code of a bin: capital letters, digits, and - . / _ between them."""
    if CODE.fullmatch(code) and len(code) <= MOST_CODE:
        return []
    message = f"“{code[:50]}” is no code of a bin: letters and digits, with - . / or _ between."
    return [Refusal("form", message, "Type it like A-01.", field)]


def walking_order(codes: Sequence[str]) -> list[str]:
    """Returns codes in the order of their letters and of their numbers as numbers.

    >>> walking_order(["A-10", "B-1", "A-9"])
    ['A-9', 'A-10', 'B-1']
    """
    return sorted(codes, key=_parts)


def _parts(code: str) -> tuple[tuple[int, int, str], ...]:
    found = re.findall(r"\d+|\D+", code)
    return tuple((1, int(part), part) if part.isdigit() else (0, 0, part) for part in found)


def _range(first: str, last: str) -> list[str]:
    if first.isdigit() != last.isdigit() or (first.isupper() != last.isupper()):
        raise _wrong(f"“{first}-{last}” is no range.", "Use two letters or two numbers.")
    if first.isdigit():
        low, high = int(first), int(last)
        steps = [str(number).zfill(len(first)) for number in range(low, high + 1)]
    else:
        steps = [chr(letter) for letter in range(ord(first), ord(last) + 1)]
    if not steps:
        raise _wrong(f"“{first}-{last}” runs backwards.", "Put the smaller one first.")
    return steps


def _wrong(message: str, fix: str) -> Exception:
    return refuse("form", message, fix, "pattern")
