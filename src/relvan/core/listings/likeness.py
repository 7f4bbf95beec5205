"""Says how alike two descriptions of goods are, with the reasons. Catalogue pages, unlinked
listings and translations use it.

Words are compared by the pairs of letters that they share (Dice's coefficient), so that a plural, a
hyphen or a missing letter makes little difference. Source: L. R. Dice, Measures of the amount of
ecologic association between species, 1945.
"""

import re
import unicodedata
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

from relvan.core.catalogue.identity import gtin_key

SURE = 90  # from here on a likeness is taken as the same thing, unless a person says otherwise
LIKELY = 55
CLOSE = 60
_NUMBER = re.compile(r"\d+(?:[.,]\d+)?")
_WORD = re.compile(r"[^\W\d_]+")


@dataclass(frozen=True)
class Goods:
    """What is known of goods that are compared; any part may be empty."""

    title: str
    brand: str = ""
    gtin: str = ""


@dataclass(frozen=True)
class Likeness:
    """How alike two goods are, from 0 to 100, and what speaks for and against it."""

    percent: int
    reasons: tuple[str, ...] = ()

    @property
    def sure(self) -> bool:
        """Says whether the match may be accepted without a person looking at it."""
        return self.percent >= SURE


def folded(text: str) -> str:
    """Returns a text for comparing, without accents and case.

    >>> folded("Café Ø")
    'cafe ø'
    """
    plain = unicodedata.normalize("NFKD", text.casefold())
    return "".join(character for character in plain if not unicodedata.combining(character))


def alike(ours: str, theirs: str) -> int:
    """Returns how alike two texts are, from 0 to 100, by the pairs of letters within their words
    and by their numbers.

    >>> alike("Aubrey pot, celadon", "Celadon pot Aubrey")
    100
    >>> alike("clay", "steel")
    0
    """
    first, second = _pairs(ours), _pairs(theirs)
    if not first or not second:
        return 100 if _same(ours, theirs) else 0
    shared = sum((first & second).values())
    return round(200 * shared / (sum(first.values()) + sum(second.values())))


@lru_cache(maxsize=8192)  # names of categories and pages are compared with many of our texts
def _pairs(text: str) -> Counter[str]:
    plain = folded(text)
    found: Counter[str] = Counter()
    for word in _WORD.findall(plain):
        found.update(
            [word] if len(word) == 1 else [word[at : at + 2] for at in range(len(word) - 1)]
        )
    found.update(f"#{_plain_number(number)}" for number in _NUMBER.findall(plain))
    return found


def _plain_number(number: str) -> str:
    return number.replace(",", ".").lstrip("0") or "0"


def compare(ours: Goods, theirs: Goods) -> Likeness:
    """Returns how alike two goods are. Equal or different GTINs decide it; without them titles,
    brands and the numbers in the titles count.

    >>> compare(Goods("Pot, 14 cm", "Quillmoss"), Goods("Pot 18 cm", "Quillmoss")).reasons[-1]
    'other numbers: 14 against 18'
    """
    titles = alike(ours.title, theirs.title)
    reasons = [f"titles {titles} % alike"]
    same_brand = _same(ours.brand, theirs.brand)
    numbers = _other_numbers(ours.title, theirs.title)
    percent = float(titles)
    if ours.brand and theirs.brand:
        reasons.append("same brand" if same_brand else f"other brand: {theirs.brand}")
        percent = 0.8 * titles + (20 if same_brand else -15)
    if numbers:
        reasons.append(numbers)
        percent *= 0.6
    if ours.gtin and theirs.gtin:
        if gtin_key(ours.gtin) == gtin_key(theirs.gtin):
            reasons.insert(0, "same GTIN")
            percent = 90 + percent / 10 if titles >= 25 or same_brand else 60 + percent / 10
        else:
            reasons.insert(0, "other GTIN")
            percent = min(percent, 40)
    return Likeness(max(0, min(100, round(percent))), tuple(reasons))


def _same(ours: str, theirs: str) -> bool:
    plain = folded(ours).strip()  # of some texts nothing is left
    return bool(plain) and plain == folded(theirs).strip()


def _other_numbers(ours: str, theirs: str) -> str:
    first, second = (
        {_plain_number(number) for number in _NUMBER.findall(text)} for text in (ours, theirs)
    )
    if not first or not second or first == second or first <= second or second <= first:
        return ""
    told = [", ".join(sorted(numbers)) for numbers in (first - second, second - first)]
    return f"other numbers: {told[0]} against {told[1]}"


def nearest(wanted: str, choices: Iterable[str], least: int = CLOSE) -> str:
    """Returns the choice that is most like a text, or "" when none is similar; of equally similar
    ones the first.

    >>> nearest("Stone ware", ["steel", "stoneware"])
    'stoneware'
    """
    best, best_percent = "", least - 1
    for choice in choices:
        percent = (
            100 if folded(choice) == folded(wanted) else alike(_joined(wanted), _joined(choice))
        )
        if percent > best_percent:
            best, best_percent = choice, percent
    return best


def _joined(text: str) -> str:
    return text.replace(" ", "").replace("-", "") if len(text) <= 24 else text
