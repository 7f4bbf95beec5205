"""Reads the parts of a date as people write it: with numbers or the name of the month, with or
without a time of day.

Source of the names of months: the Unicode Common Locale Data Repository, as Babel ships it.
"""

import re
from functools import cache

from babel import Locale

from relvan.core.imports.places import LANGUAGES

_TIME = re.compile(
    r"[\sT,]+\d{1,2}[:.]\d{2}([:.]\d{2}([.,]\d+)?)?\s*([ap]\.?m\.?)?\s*(Z|[+-]\d{2}:?\d{2}|UTC)?$",
    re.IGNORECASE,
)


# the day as an ordinal: 1st, 2nd, 3rd, 4th, 1er, 1º
_ORDINAL = re.compile(r"^(\d{1,2})(st|nd|rd|th|er|re|º|ª)$", re.IGNORECASE)
_COMPACT = re.compile(r"^(\d{4})(\d{2})(\d{2})$")  # the basic format of ISO 8601
_BETWEEN = frozenset(("de", "del", "of", "the"))


def date_parts(text: str) -> list[str]:
    """Returns the parts of a date in the order in which they are written. The name of a month
    becomes its number, and the time of day is left out.

    >>> date_parts("12/1/2010 8:26"), date_parts("3. März 2026"), date_parts("2026-03-31T08:00:00Z")
    (['12', '1', '2010'], ['3', '3', '2026'], ['2026', '03', '31'])
    >>> date_parts("1er mars 2026"), date_parts("3 de marzo de 2026"), date_parts("20260331")
    (['1', '3', '2026'], ['3', '3', '2026'], ['2026', '03', '31'])
    """
    bare = _TIME.sub("", text.strip())
    if compact := _COMPACT.match(bare):
        return list(compact.groups())
    return [str(_months().get(word.casefold(), word)) for word in _words(bare)]


def names_month(text: str) -> int | None:
    """Returns at which place of a date the month is named, or None when it has a number.

    >>> names_month("Mar 3, 2026"), names_month("3.3.2026")
    (0, None)
    """
    words = enumerate(_words(text.strip()))
    return next((at for at, word in words if word.casefold() in _months()), None)


def _words(text: str) -> list[str]:
    found = [_ORDINAL.sub(r"\1", word) for word in re.split(r"[./,\-\s]+", text) if word]
    return [word for word in found if not _is_weekday(word) and word.casefold() not in _BETWEEN]


def _is_weekday(word: str) -> bool:
    """Says whether a word is the name of a weekday and of no month, as *mar* is both."""
    name = word.casefold()
    return name in _weekdays() and name not in _months()


@cache
def _months() -> dict[str, int]:
    return _names("months")


@cache
def _weekdays() -> dict[str, int]:
    return _names("days")


def _names(kind: str) -> dict[str, int]:
    """Returns the numbers of months or weekdays by name in small letters, without points."""
    found: dict[str, int] = {}
    for language in LANGUAGES:
        by_form = getattr(Locale.parse(language), kind)
        for form in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for number, name in by_form[form].get(width, {}).items():
                    if not name[:1].isdigit():
                        found.setdefault(name.casefold().strip("."), number)
    return found
