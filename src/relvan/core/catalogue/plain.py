"""Plain facts: those that concern one product alone and lie in one place. Files of thousands of rows mostly say
nothing else, and of these what most rows say is beyond question; only the others need be looked at one by one.

Nothing here refuses anything: what is not beyond question is judged by `check_facts` and what follows it.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, NamedTuple

from relvan.core.catalogue.checks import check_sides, surely_right, wrong_values
from relvan.core.catalogue.facts import Changes, group_of
from relvan.core.catalogue.product import STOCKED, ProductKind

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


@dataclass(frozen=True, slots=True)
class PlainRows:
    """Rows of a job that say plain facts of one product each, column by column: where they stand in the file, their
    SKUs, the facts as they are (`old`) and as they are to be (`new`), nothing being None. What a row does not change
    is the same in both; of products that are to be made nothing is old."""

    positions: Sequence[int]
    subjects: Sequence[str]
    old: Mapping[str, Sequence[Any]]
    new: Mapping[str, Sequence[Any]]

    def __len__(self) -> int:
        return len(self.positions)

    @property
    def making(self) -> bool:
        """Whether these products are to be made."""
        return bool(self.new) and not self.old

    def change(self, place: int) -> Changes | None:
        """What one of the rows changes; none when it says what is there already."""
        if self.making:
            said = {name: (None, value) for name, held in self.new.items() if (value := held[place]) is not None}
            return {"sku": (None, self.subjects[place]), "kind": (None, str(ProductKind.SINGLE)), **said}
        old = self.old
        found = {n: (was, now) for n, held in self.new.items() if (now := held[place]) != (was := old[n][place])}
        return found or None

    def changes(self) -> list[Changes]:
        """The same of every row; nothing where it changes nothing."""
        if self.making:
            return [self.change(place) or {} for place in range(len(self))]
        found: list[Changes] = [{} for _ in self.positions]
        for name, new in self.new.items():
            for change, was, now in zip(found, self.old[name], new, strict=True):
                if was != now:
                    change[name] = (was, now)
        return found

    def may_turn(self) -> bool:
        """Whether one of the rows may change what its product lacks: its category does, and what comes or goes."""
        return "category" in self.new or any(None in held for side in (self.old, self.new) for held in side.values())

    def pick(self, places: Sequence[int]) -> "PlainRows":
        """Some of the rows, in the order of these places."""
        if len(places) == len(self):
            return self
        old, new = ({n: [held[at] for at in places] for n, held in said.items()} for said in (self.old, self.new))
        return PlainRows([self.positions[at] for at in places], [self.subjects[at] for at in places], old, new)

    def differing(self) -> "PlainRows":
        """The same without facts that none of the rows changes."""
        names = [name for name, new in self.new.items() if new != self.old[name]]
        old, new = ({name: side[name] for name in names} for side in (self.old, self.new))
        return PlainRows(self.positions, self.subjects, old, new)

    def without(self, places: Iterable[int]) -> list[int]:
        """The places of the other rows."""
        gone = set(places)
        return [place for place in range(len(self)) if place not in gone]

    def turned(self) -> "PlainRows":
        """The same with old and new in each other's place, as changes are taken back."""
        return PlainRows(self.positions, self.subjects, self.new, self.old)


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
        if not surely_right(name, values):
            found |= _places(values, wrong_values(name, {*values} - {None}))
    return found


def _places(values: Sequence[Any], wrong: set[Any]) -> set[int]:
    return {place for place, value in enumerate(values) if value in wrong} if wrong else set()


@lru_cache(maxsize=4_096)
def _is_size(size: tuple[int | None, ...]) -> bool:
    return not check_sides(dict(zip(SIDES[0], size, strict=True)))
