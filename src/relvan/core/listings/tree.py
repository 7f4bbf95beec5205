"""The categories of a channel as a tree, made from their paths, and the search in it."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from relvan.core.catalogue.attributes import SEPARATOR, levels_of
from relvan.core.listings.likeness import folded
from relvan.core.listings.rulebook import ChannelCategory, Rulebook


@dataclass
class Branch:
    """One name in the tree with all that is below it. `key` is the channel's key where the category
    can be chosen, else ""."""

    name: str
    path: str
    key: str = ""
    below: list["Branch"] = field(default_factory=list)

    @property
    def choices(self) -> int:
        """How many categories can be chosen here and below."""
        return bool(self.key) + sum(branch.choices for branch in self.below)


def unfold(categories: Iterable[ChannelCategory]) -> list[Branch]:
    """Returns the tree of categories in the order of the rulebook. A name that only leads to others
    has no key."""
    root = Branch("", "")
    known: dict[str, Branch] = {}
    for category in categories:
        at, path = root, ""
        for part in levels_of(category.name):
            path = f"{path}{SEPARATOR}{part}" if path else part
            if path not in known:
                known[path] = Branch(part, path)
                at.below.append(known[path])
            at = known[path]
        at.key = category.key
    return root.below


def search_categories(
    categories: Sequence[ChannelCategory], words: str, most: int = 40
) -> list[ChannelCategory]:
    """Returns the categories whose path has, for each of the words, a word that begins with it.
    Those with a match in the last part of their path come first.

    >>> large = ChannelCategory(key="a", name="Pots / Large")
    >>> found = search_categories([large, ChannelCategory(key="b", name="Tools")], "pot lar")
    >>> [one.key for one in found]
    ['a']
    """
    asked = _words(words)
    found = []
    for place, category in enumerate(categories):
        parts = levels_of(category.name)
        have = [_words(part) for part in parts]
        if not asked or not all(
            any(w.startswith(word) for part in have for w in part) for word in asked
        ):
            continue
        last = have[-1] if have else []
        in_last = sum(any(w.startswith(word) for w in last) for word in asked)
        found.append((-in_last, len(parts), place, category))
    return [category for *_, category in sorted(found, key=lambda one: one[:3])[:most]]


def asks_for(book: Rulebook, key: str) -> list[str]:
    """Returns the labels of the fields that listings in a category need in addition to those that
    all listings need."""
    return [
        rule.label
        for rule in book.fields
        if key in rule.required_in or (rule.required and key in rule.only_in)
    ]


def _words(text: str) -> list[str]:
    return re.findall(r"\w+", folded(text))
