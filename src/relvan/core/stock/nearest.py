"""Which stock policy holds for a listing: the nearest of its own, its product's, its family's, its category's and the
channel's. See docs/rules.md, “What is free”."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from relvan.core.catalogue.attributes import SEPARATOR
from relvan.core.stock.availability import StockPolicy


@dataclass(frozen=True)
class Nearest:
    """A policy and whose it is, in words; "" for the channel's."""

    policy: StockPolicy
    whose: str = ""


@dataclass(frozen=True)
class NearerPolicies:
    """The policies of one channel that go instead of its own: by listing, by product, by category (path's key)."""

    listings: Mapping[int, StockPolicy] = field(default_factory=dict)
    products: Mapping[int, StockPolicy] = field(default_factory=dict)
    categories: Mapping[str, StockPolicy] = field(default_factory=dict)

    def nearest(
        self, own: StockPolicy, *, listing: int | None, product: int, family: int | None, category: str
    ) -> Nearest:
        """The nearest one; `own` is the channel's."""
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
    """What finds a category without regard to case."""
    return path.casefold()


def is_below(path: str, above: str) -> bool:
    """Whether a category is the one with that key, or below it.

    >>> is_below("Pots / Indoors", "pots"), is_below("Potting", "pot")
    (True, False)
    """
    key = category_key(path)
    return key == above or key.startswith(category_key(above + SEPARATOR))
