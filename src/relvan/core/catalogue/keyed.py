"""Facts of which a product can have many, each under a key: its price on the list *retail*, its
attribute *material*. Only this module puts their names together and takes them apart."""

from collections.abc import Mapping
from enum import StrEnum
from functools import lru_cache
from typing import TypeVar

V = TypeVar("V")


class Keyed(StrEnum):
    """The kinds of facts that have a key. The name of such a fact is its kind, a space and its key.

    >>> Keyed.PRICE.fact("retail"), Keyed.PRICE.key("price retail"), Keyed.PRICE.has("weight_g")
    ('price retail', 'retail', False)
    """

    PRICE = "price"  # by price list
    BREAK = "break"  # by price list and from how many units on, see `break_fact`
    ATTRIBUTE = "attribute"  # by its name
    TRAIT = "trait"  # by its name
    ALIAS = "alias"  # by its SKU

    def fact(self, key: str) -> str:
        """Returns the name of the fact of this kind with a key."""
        return f"{self.value} {key}"

    def has(self, name: str) -> bool:
        """Says whether a fact is of this kind."""
        return name.startswith(_starts(self))

    def key(self, name: str) -> str:
        """Returns the key of a fact of this kind; it is empty for any other fact."""
        start = _starts(self)
        return name[len(start) :] if name.startswith(start) else ""

    def of(self, facts: Mapping[str, V]) -> dict[str, V]:
        """Returns the facts of this kind, by key.

        >>> Keyed.TRAIT.of({"trait Glaze": "ink", "trait Size": "14", "weight_g": 400})
        {'Glaze': 'ink', 'Size': '14'}
        """
        start = _starts(self)
        return {name[len(start) :]: v for name, v in facts.items() if name.startswith(start)}

    def named(self, values: Mapping[str, V]) -> dict[str, V]:
        """Turns values by key into facts of this kind; this reverses `of`."""
        start = _starts(self)
        return {start + key: value for key, value in values.items()}

    def without(self, facts: Mapping[str, V]) -> dict[str, V]:
        """Returns all facts that are not of this kind."""
        return {name: value for name, value in facts.items() if not self.has(name)}


def break_fact(list_key: str, least: int) -> str:
    """Returns the name of the quantity break on a list that begins at so many units.

    >>> break_fact("retail", 10)
    'break retail 10'
    """
    return Keyed.BREAK.fact(f"{list_key} {least}")


def price_fact(list_key: str, least: int | None) -> str:
    """Returns the name of the price on a list for so many units and more; for one unit this is the
    list price.

    >>> price_fact("retail", 10), price_fact("retail", 1)
    ('break retail 10', 'price retail')
    """
    return break_fact(list_key, least) if least and least > 1 else Keyed.PRICE.fact(list_key)


def break_place(name: str) -> tuple[str, int]:
    """Returns the list and the least number of units that a quantity break is named by.

    >>> break_place("break retail 10")
    ('retail', 10)
    """
    key, _, least = Keyed.BREAK.key(name).rpartition(" ")
    return key, int(least)


def list_of_fact(name: str) -> str | None:
    """Returns the key of the price list on which a fact is a price or a quantity break; None for
    any other fact.

    >>> list_of_fact("price retail"), list_of_fact("break retail 10"), list_of_fact("title")
    ('retail', 'retail', None)
    """
    if Keyed.PRICE.has(name):
        return Keyed.PRICE.key(name)
    return break_place(name)[0] if Keyed.BREAK.has(name) else None


def kind_of_fact(name: str) -> Keyed | None:
    """Returns the kind of a fact of which there can be many; None for any other fact."""
    return next((kind for kind in Keyed if kind.has(name)), None)


@lru_cache(len(Keyed))
def _starts(kind: Keyed) -> str:
    return f"{kind.value} "
