"""Plain facts: those that belong to one product alone and are kept in one place. Most files say
nothing else, and most of their rows are surely right, so they are checked and written many at once;
only the others are looked at one by one.

Nothing in this module refuses anything: `check_facts` judges whatever is not surely right.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain
from typing import Any, NamedTuple

from relvan.core.catalogue.checks import check_sides, surely_right, wrong_values
from relvan.core.catalogue.facts import AS_FIELDS, Changes, group_of
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import STOCKED, ProductKind

SIDES = (
    ("length_mm", "width_mm", "height_mm"),
    ("case_length_mm", "case_width_mm", "case_height_mm"),
)
# what names the product itself or another one, or is decided together with these
BOUND = frozenset(("sku", "family", "parts_apart", "tax_code"))
PLAIN = (
    frozenset((*AS_FIELDS, *chain(*SIDES), "case_quantity", "case_weight_g", Keyed.PRICE)) - BOUND
)


class Standing(NamedTuple):
    """What a product says of the plain facts of a file, with None for nothing. `named` is true when
    the row names the product by its own SKU and it is not in the archive."""

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
    """Rows of a job that say plain facts of one product each, column by column: their numbers in
    the file, their SKUs, the facts as they are (`old`) and as they are to be (`new`). None stands
    for no value. What a row does not change is the same in both; products that are still to be
    created have no old facts."""

    positions: Sequence[int]
    subjects: Sequence[str]
    old: Mapping[str, Sequence[Any]]
    new: Mapping[str, Sequence[Any]]

    def __len__(self) -> int:
        return len(self.positions)

    @property
    def making(self) -> bool:
        """Says whether the products are still to be created."""
        return bool(self.new) and not self.old

    def change(self, place: int) -> Changes | None:
        """Returns what one of the rows changes; it is None when the product has these values
        already."""
        if self.making:
            said = {
                name: (None, value)
                for name, held in self.new.items()
                if (value := held[place]) is not None
            }
            return {
                "sku": (None, self.subjects[place]),
                "kind": (None, str(ProductKind.SINGLE)),
                **said,
            }
        old = self.old
        found = {
            n: (was, now)
            for n, held in self.new.items()
            if (now := held[place]) != (was := old[n][place])
        }
        return found or None

    def changes(self) -> list[Changes]:
        """Returns what each row changes; an entry is empty where the row changes nothing."""
        if self.making:
            return [self.change(place) or {} for place in range(len(self))]
        found: list[Changes] = [{} for _ in self.positions]
        for name, new in self.new.items():
            for change, was, now in zip(found, self.old[name], new, strict=True):
                if was != now:
                    change[name] = (was, now)
        return found

    def may_turn(self) -> bool:
        """Says whether a row may change which details its product lacks."""
        return "category" in self.new or any(
            None in held for side in (self.old, self.new) for held in side.values()
        )

    def pick(self, places: Sequence[int]) -> "PlainRows":
        """Returns some of the rows, in the order of these places."""
        if len(places) == len(self):
            return self
        old, new = (
            {n: [held[at] for at in places] for n, held in said.items()}
            for said in (self.old, self.new)
        )
        return PlainRows(
            [self.positions[at] for at in places], [self.subjects[at] for at in places], old, new
        )

    def differing(self) -> "PlainRows":
        """Returns the same rows without the facts that none of them changes."""
        names = [name for name, new in self.new.items() if new != self.old[name]]
        old, new = ({name: side[name] for name in names} for side in (self.old, self.new))
        return PlainRows(self.positions, self.subjects, old, new)

    def without(self, places: Iterable[int]) -> list[int]:
        """Returns the places of the other rows."""
        gone = set(places)
        return [place for place in range(len(self)) if place not in gone]

    def turned(self) -> "PlainRows":
        """Returns the same rows with old and new exchanged, as undo needs them."""
        return PlainRows(self.positions, self.subjects, self.new, self.old)


def are_plain(names: Iterable[str]) -> bool:
    """Says whether all of these facts are plain. The sides of a size only count together.

    >>> are_plain(["title", "price retail"]), are_plain(["title", "family"]), are_plain(["length_mm"])
    (True, False, False)
    """
    held = set(names)
    whole = all(held.isdisjoint(sides) or held.issuperset(sides) for sides in SIDES)
    return whole and PLAIN.issuperset(map(group_of, held))


def with_sides(names: Iterable[str]) -> list[str]:
    """Returns these facts; where a side of a size is among them, its other sides are added."""
    held = list(names)
    return held + [
        side
        for sides in SIDES
        if not set(held).isdisjoint(sides)
        for side in sides
        if side not in held
    ]


def questionable(names: Sequence[str], columns: Sequence[Sequence[Any]]) -> set[int]:
    """Returns the places of values that are not surely right, whatever the product: values that are
    wrong, and incomplete sizes."""
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
