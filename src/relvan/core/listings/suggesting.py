"""Suggests which of a channel's categories fit our goods, from past choices and from the likeness
of names and titles."""

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from relvan.core.catalogue.attributes import levels_of
from relvan.core.listings.likeness import alike
from relvan.core.listings.rulebook import Rulebook

MOST_SUGGESTED = 4
LEAST_ALIKE = 18
ABOVE, WORD = 0.8, 0.95  # what a likeness higher up in our path, and one of a single word, counts


@dataclass(frozen=True)
class Suggested:
    """A category of the channel, and why it is proposed."""

    key: str
    name: str
    because: str


def suggest_categories(
    book: Rulebook, ours: str, titles: Sequence[str], past: Mapping[str, int]
) -> tuple[Suggested, ...]:
    """Returns the categories that fit: first those that were chosen before for the same category of
    ours, then those whose names are like our names and titles."""
    names = {category.key: category.name for category in book.categories}
    known = Counter({key: count for key, count in past.items() if key in names})
    found = {
        key: Suggested(
            key,
            names[key],
            f"chosen {count} {'time' if count == 1 else 'times'} for {ours or 'such'}",
        )
        for key, count in known.most_common(2)
    }
    words = {word for title in titles[:12] for word in title.casefold().split() if len(word) > 2}
    scored = sorted(
        ((_fits(words, ours, name), key) for key, name in names.items()),
        key=lambda pair: (-pair[0], pair[1]),
    )
    for score, key in scored[:MOST_SUGGESTED]:
        if score >= LEAST_ALIKE and key not in found:
            found[key] = Suggested(key, names[key], "like its category and titles")
    return tuple(found.values())[:MOST_SUGGESTED]


def _fits(words: Collection[str], ours: str, name: str) -> int:
    """Returns how well the name of a category fits. The most similar part of its path is compared
    with the parts of our category, our last part first; its own last part is compared with the
    titles."""
    theirs = levels_of(name)
    by_path = 0.0
    for above, part in enumerate(reversed(levels_of(ours))):
        by_path = max(by_path, ABOVE**above * max(_called(part, other) for other in theirs))
    by_title = max((_called(word, theirs[-1]) for word in words), default=0)
    return round(0.65 * by_path + 0.35 * by_title)


def _called(ours: str, theirs: str) -> float:
    """Returns how similar a name of the channel is to ours, as a whole or by one of its words."""
    words = theirs.split()
    by_word = max(alike(ours, word) for word in words) if len(words) > 1 else 0
    return max(alike(ours, theirs), WORD * by_word)
