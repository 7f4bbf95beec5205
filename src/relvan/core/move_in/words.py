"""Takes titles apart into words and measures, so that two titles in other words, another order and
another spelling can be compared.
"""

import math
import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

from relvan.core.listings.likeness import alike, folded

_TOKEN = re.compile(
    r"(\d+(?:[.,]\d+)?)[\s-]*(mm|cm|ml|cl|kg|m|l|g)\b|(\d+(?:[.,]\d+)?)|([^\W\d_]+)"
)
# what a unit is in the smallest of its kind: millimetres, millilitres, grams
UNITS = {
    "mm": ("mm", 1),
    "cm": ("mm", 10),
    "m": ("mm", 1000),
    "ml": ("ml", 1),
    "cl": ("ml", 10),
    "l": ("ml", 1000),
    "g": ("g", 1),
    "kg": ("g", 1000),
}
_EMPTY = "a an and the of for with in on by to from or at our your new der die das und für mit von"
EMPTY = frozenset(_EMPTY.split())  # these words say nothing of the goods
SAME_WORD = 72  # from here on two words that differ in a few letters are one
LEARNT_FROM = 3  # so many pairs must show that two words stand for each other
LEARNT_SHARE = 0.6


@lru_cache(maxsize=65_536)
def words_of(text: str) -> tuple[str, ...]:
    """Returns the words of a text, folded and without endings, and its measures in the smallest
    unit of their kind.

    >>> words_of("Denim Pots, 14 cm")
    ('denim', 'pot', '140mm')
    >>> words_of("pot 140mm denim")
    ('pot', '140mm', 'denim')
    """
    found = []
    for amount, unit, number, word in _TOKEN.findall(folded(text)):
        if unit:
            kind, factor = UNITS[unit]
            found.append(f"{_plain(amount, factor)}{kind}")
        elif number:
            found.append(_plain(number, 1))
        elif word not in EMPTY:
            found.append(_stem(word))
    return tuple(found)


def _plain(number: str, factor: int) -> str:
    return f"{float(number.replace(',', '.')) * factor:g}"


def _stem(word: str) -> str:
    for ending in ("ings", "ing", "ies", "es", "ed", "s", "y"):
        if word.endswith(ending) and len(word) - len(ending) >= 3:
            return word[: -len(ending)]
    return word


def is_measure(word: str) -> bool:
    """Says whether a word is a number, with a unit or without."""
    return word[:1].isdigit()


@lru_cache(maxsize=65_536)
def same_word(first: str, second: str) -> bool:
    """Says whether two words are one, apart from a few letters after the first. Measures are the
    same or not.
    """
    if first == second:
        return True
    if is_measure(first) or first[:1] != second[:1] or min(len(first), len(second)) < 4:
        return False
    return alike(first, second) >= SAME_WORD


@dataclass(frozen=True)
class Shared:
    """What two texts share of their weighted words, from 0 to 1, and the words that only one has."""

    part: float
    only_first: frozenset[str]
    only_second: frozenset[str]


class Weights:
    """How much each word tells: one that stands in few titles tells more than one in many."""

    def __init__(self, texts: Iterable[Collection[str]]) -> None:
        counted: Counter[str] = Counter()
        number = 0
        for words in texts:
            counted.update(set(words))
            number += 1
        self._most = math.log(1 + number)
        self._learnt: frozenset[tuple[str, str]] = frozenset()
        self._known: Mapping[str, float] = {
            word: math.log(1 + number / count) for word, count in counted.items()
        }

    def of(self, word: str) -> float:
        """Returns the weight of a word; one that was never seen tells most."""
        return self._known.get(word, self._most)

    def sum(self, words: Collection[str]) -> float:
        """Returns the weight of all words together."""
        return math.fsum(map(self.of, words))

    def learn(self, pairs: Iterable[tuple[Collection[str], Collection[str]]]) -> None:
        """Learns which words stand for each other, from texts that are known to be of the same
        goods: where one says the first, the other mostly says the second.
        """
        once: Counter[str] = Counter()
        together: Counter[tuple[str, str]] = Counter()
        for first, second in pairs:
            left, right = set(first) - set(second), set(second) - set(first)
            once.update(left | right)
            for word in left:
                together.update((min(word, other), max(word, other)) for other in right)
        self._learnt = frozenset(
            (one, other)
            for (one, other), count in together.items()
            if count >= LEARNT_FROM
            and count >= LEARNT_SHARE * min(once[one], once[other])
            and not (is_measure(one) or is_measure(other))
        )

    def same(self, first: str, second: str) -> bool:
        """Says whether two words stand for the same, as far as is known."""
        return same_word(first, second) or (min(first, second), max(first, second)) in self._learnt

    def share(self, first: Collection[str], second: Collection[str]) -> Shared:
        """Returns what two texts share. Halves of it are the part of both together and the part of
        the shorter one, so that a few words more on one side cost little.
        """
        one, other = set(first), set(second)
        both = one & other
        left, right = one - both, other - both
        weight = self.sum(both)
        for word in sorted(left, key=self.of, reverse=True):
            like = next((w for w in sorted(right) if self.same(word, w)), None)
            if like is not None:
                weight += (self.of(word) + self.of(like)) / 2 * 0.95
                left, right = left - {word}, right - {like}
        whole, less = self.sum(one) + self.sum(other), min(self.sum(one), self.sum(other))
        if not less:
            return Shared(0.0, frozenset(left), frozenset(right))
        part = 0.5 * min(1.0, 2 * weight / whole) + 0.5 * min(1.0, weight / less)
        return Shared(part, frozenset(left), frozenset(right))
