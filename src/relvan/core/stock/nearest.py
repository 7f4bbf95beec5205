"""Finds the stock rule of a listing: the exception for the listing itself, for its product, its
family or its category, or else the channel's own rule. See docs/rules.md, “What is free”."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from relvan.core.catalogue.attributes import SEPARATOR
from relvan.core.stock.availability import StockPolicy


@dataclass(frozen=True)
class Nearest:
    """A stock rule, and in words where it comes from; "" for the channel's own."""

    policy: StockPolicy
    whose: str = ""


@dataclass(frozen=True)
class NearerPolicies:
    """The exceptions of one channel, by listing, by product and by category (the path's key)."""

    listings: Mapping[int, StockPolicy] = field(default_factory=dict)
    products: Mapping[int, StockPolicy] = field(default_factory=dict)
    categories: Mapping[str, StockPolicy] = field(default_factory=dict)

    def nearest(
        self,
        own: StockPolicy,
        *,
        listing: int | None,
        product: int,
        family: int | None,
        category: str,
    ) -> Nearest:
        """Returns the stock rule that holds; `own` is the channel's."""
        if listing is not None and listing in self.listings:
            return Nearest(self.listings[listing], "of this listing")
        if product in self.products:
            return Nearest(self.products[product], "of the product")
        if family is not None and family in self.products:
            return Nearest(self.products[family], "of the family")
        levels = category.split(SEPARATOR) if category and self.categories else []
        for depth in range(len(levels), 0, -1):
            found = self.categories.get(category_key(SEPARATOR.join(levels[:depth])))
            if found is not None:
                return Nearest(found, f"of the category {SEPARATOR.join(levels[:depth])}")
        return Nearest(own)


NO_NEARER = NearerPolicies()


def category_key(path: str) -> str:
    """Returns the text by which a category is found without regard to case."""
    return path.casefold()


def is_below(path: str, above: str) -> bool:
    """Says whether a category is the one with that key, or below it.

    >>> is_below("Pots / Indoors", "pots"), is_below("Potting", "pot")
    (True, False)
    """
    key = category_key(path)
    return key == above or key.startswith(category_key(above + SEPARATOR))
