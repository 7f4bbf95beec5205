"""Plain facts: those that concern one product alone and lie in one place. Files of thousands of rows mostly say
nothing else, and of these what most rows say is beyond question; only the others need be looked at one by one.

Nothing here refuses anything: what is not beyond question is judged by `check_facts` and what follows it.
"""

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Any, NamedTuple

from relvan.core.catalogue.checks import check_sides, wrong_values
from relvan.core.catalogue.facts import group_of
from relvan.core.catalogue.product import STOCKED

SIDES = (("length_mm", "width_mm", "height_mm"), ("case_length_mm", "case_width_mm", "case_height_mm"))
PLAIN = frozenset({
    "title", "brand", "description", "gtin", "category", "weight_g", "cost", "floor",
    "advertised_minimum", "ceiling", "case_quantity", "case_weight_g", "hazardous", "fragile", "this_way_up", "origin",
    "hs_code", "supplier", "minimum_order", "price ", *SIDES[0], *SIDES[1],
})  # fmt: skip


class Standing(NamedTuple):
    """A product beside which plain facts are laid: `named` when it is found by its own SKU and not in the archive;
    what it says of these facts, nothing being None."""

    id: int
    named: bool
    kind: str
    values: tuple[Any, ...]

    @property
    def ordinary(self) -> bool:
        """Whether plain facts are all there is to it."""
        return self.named and self.kind in STOCKED


def are_plain(names: Iterable[str]) -> bool:
    """Whether facts are plain, all of them; the sides of a size come together.

    >>> are_plain(["title", "price retail"]), are_plain(["title", "family"]), are_plain(["length_mm"])
    (True, False, False)
    """
    held = set(names)
    whole = all(held.isdisjoint(sides) or held.issuperset(sides) for sides in SIDES)
    return whole and PLAIN.issuperset(map(group_of, held))


def with_sides(names: Iterable[str]) -> list[str]:
    """These facts and, where a side of a size is one of them, its other sides after them."""
    held = list(names)
    return held + [side for sides in SIDES if not set(held).isdisjoint(sides) for side in sides if side not in held]


def questionable(names: Sequence[str], columns: Sequence[Sequence[Any]]) -> set[int]:
    """The places of values that are not beyond question, whatever the product: wrong ones, and half a size."""
    found: set[int] = set()
    by_name = dict(zip(names, columns, strict=True))
    for sides in SIDES:
        if not by_name.keys().isdisjoint(sides):
            nothing = [None] * len(columns[0])
            sizes = list(zip(*(by_name.pop(side, nothing) for side in sides), strict=True))
            found |= _places(sizes, {size for size in {*sizes} if not _is_size(size)})
    for name, values in by_name.items():
        found |= _places(values, wrong_values(name, {*values} - {None}))
    return found


def _places(values: Sequence[Any], wrong: set[Any]) -> set[int]:
    return {place for place, value in enumerate(values) if value in wrong} if wrong else set()


@lru_cache(maxsize=4_096)
def _is_size(size: tuple[int | None, ...]) -> bool:
    return not check_sides(dict(zip(SIDES[0], size, strict=True)))
