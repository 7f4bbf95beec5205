"""A channel's categories as a tree: unfolded from their paths, and searched by words."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from relvan.core.catalogue.attributes import SEPARATOR, levels_of
from relvan.core.listings.likeness import folded
from relvan.core.listings.rulebook import Category, Rulebook


@dataclass
class Branch:
    """One name in the tree with all that lies below it; `key` is the channel's where one can choose it, else ""."""

    name: str
    path: str
    key: str = ""
    below: list["Branch"] = field(default_factory=list)

    @property
    def choices(self) -> int:
        """How many categories can be chosen here and below."""
        return bool(self.key) + sum(branch.choices for branch in self.below)


def unfold(categories: Iterable[Category]) -> list[Branch]:
    """The tree of categories, in the order of the rulebook; a name that only leads to others has no key."""
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


def search_categories(categories: Sequence[Category], words: str, most: int = 40) -> list[Category]:
    """Categories whose path has a word beginning with each of the words, those that say it last in their path first.

    >>> found = search_categories([Category(key="a", name="Pots / Large"), Category(key="b", name="Tools")], "pot lar")
    >>> [one.key for one in found]
    ['a']
    """
    asked = _words(words)
    found = []
    for place, category in enumerate(categories):
        parts = levels_of(category.name)
        have = [_words(part) for part in parts]
        if not asked or not all(any(w.startswith(word) for part in have for w in part) for word in asked):
            continue
        last = have[-1] if have else []
        in_last = sum(any(w.startswith(word) for w in last) for word in asked)
        found.append((-in_last, len(parts), place, category))
    return [category for *_, category in sorted(found, key=lambda one: one[:3])[:most]]


def asks_for(book: Rulebook, key: str) -> list[str]:
    """The labels of the fields that listings in a category need, besides those that all need."""
    return [rule.label for rule in book.fields if key in rule.required_in or (rule.required and key in rule.only_in)]


def _words(text: str) -> list[str]:
    return re.findall(r"\w+", folded(text))
