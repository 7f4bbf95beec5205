"""Chooses cartons for items, and where each item lies in its carton, at the least cost.

First each carton is tried alone, the cheapest first. Where one does not do, items are laid out over
several, and the layout is improved by emptying a few cartons and filling them anew, until no better one
can exist or the time is over. Lengths are in millimetres, weights in grams, costs in minor units.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import permutations
from math import ceil
from typing import Any

from relvan.core.refusal import refuse
from relvan.core.solver import Budget

MOST_UNITS = 400
SECONDS = 0.04  # of looking for something better, for up to 40 units
TASTES = (
    (1.0, 0.0, 0.01, 0.0),
    (0.0, 1.0, 0.01, 0.0),
    (0.5, 0.5, 0.1, 0.5),
    (1.0, 0.0, 0.01, 0.3),
    (0.1, 0.3, 0.01, 1.0),
    (0.05, 0.0, 0.3, 0.2),
)


@dataclass(frozen=True)
class PackItem:
    """One unit to be packed: its lengths, its weight, whether it stays upright and whether nothing may
    rest on it."""

    id: str
    size: tuple[float, float, float]
    weight_g: float = 0
    this_way_up: bool = False
    fragile: bool = False


@dataclass(frozen=True)
class CartonKind:
    """A carton of which there are as many as needed: its inner lengths, its own weight, what it may
    weigh when it is full, and its cost with carriage."""

    id: str
    size: tuple[float, float, float]
    weight_g: float = 0
    max_weight_g: float = 0
    cost: int = 0

    @property
    def volume(self) -> float:
        """The volume inside."""
        return self.size[0] * self.size[1] * self.size[2]


@dataclass(frozen=True)
class PlacedItem:
    """Where a unit lies: its near lower corner and its lengths as it lies."""

    id: str
    at: tuple[float, float, float]
    size: tuple[float, float, float]


@dataclass(frozen=True)
class PackedCarton:
    """A carton with what lies in it; the weight counts the carton, `fill` is the share of its volume."""

    carton: CartonKind
    items: tuple[PlacedItem, ...]
    weight_g: float
    fill: float


@dataclass(frozen=True)
class CartonChoice:
    """The cartons, what they cost, and a cost that no choice can undercut."""

    cost: int
    bound: int
    cartons: tuple[PackedCarton, ...]


@dataclass(frozen=True)
class _Load:
    """One carton of a layout: its kind, the units in it, and their boxes."""

    carton: CartonKind
    units: tuple[int, ...]
    boxes: Any
    used: float


def choose_cartons(
    items: Sequence[PackItem], cartons: Sequence[CartonKind], *, seconds: float = SECONDS
) -> CartonChoice:
    """Returns the cheapest cartons that were found for all items.

    Raises:
        Refused: if no carton takes one of the items, or there are more than 400 units.
    """
    if len(items) > MOST_UNITS:
        message = f"There are {len(items):,} units; at most {MOST_UNITS} are laid out at once."
        raise refuse("too-many", message, "Divide them.", "items")
    for item in items:
        if not any(takes(carton, item) for carton in cartons):
            message = f"No carton takes “{item.id}”."
            raise refuse("no-carton", message, "Add a larger or stronger one.", "items")
    if not items:
        return CartonChoice(0, 0, ())
    packer = _Packer(items, cartons, seconds * max(1.0, (len(items) / 40) ** 2))
    bound = least_cost(items, cartons)
    loads = packer.best(bound)
    return CartonChoice(
        sum(load.carton.cost for load in loads), bound, tuple(packer.told(load) for load in loads)
    )


def takes(carton: CartonKind, item: PackItem) -> bool:
    """Says whether an item alone fits into a carton."""
    if carton.weight_g + item.weight_g > carton.max_weight_g:
        return False
    return any(
        all(a <= b for a, b in zip(turned, carton.size, strict=True)) for turned in _turned(item)
    )


def _turned(item: PackItem) -> set[tuple[float, ...]]:
    if item.this_way_up:
        wide, deep, high = item.size
        return {(wide, deep, high), (deep, wide, high)}
    return set(permutations(item.size))


def least_cost(items: Sequence[PackItem], cartons: Sequence[CartonKind]) -> int:
    """Returns a cost that no choice can undercut: that of the volume and of the weight at the best
    rates, of the dearest item alone, and of items no two of which share a carton."""
    dearest = {
        item.id: min(carton.cost for carton in cartons if takes(carton, item)) for item in items
    }
    volume = sum(item.size[0] * item.size[1] * item.size[2] for item in items)
    weight = sum(item.weight_g for item in items)
    found = [max(dearest.values())]
    rooms = [carton.max_weight_g - carton.weight_g for carton in cartons]
    for wanted, holds in ((volume, [carton.volume for carton in cartons]), (weight, rooms)):
        if len(cartons) == 1:
            found.append(ceil(wanted / holds[0] - 1e-9) * cartons[0].cost if holds[0] else 0)
        else:
            rate = min(c.cost / hold for c, hold in zip(cartons, holds, strict=True) if hold > 0)
            found.append(ceil(rate * wanted - 1e-6))
    apart: list[PackItem] = []
    for item in sorted(items, key=lambda one: -min(one.size)):
        if not any(_share(item, other, cartons) for other in apart):
            apart.append(item)
    found.append(sum(dearest[item.id] for item in apart))
    return max(found)


def _share(a: PackItem, b: PackItem, cartons: Sequence[CartonKind]) -> bool:
    """Says whether two items may fit into one carton together: beside each other along one of its
    lengths, whichever way they lie."""
    for carton in cartons:
        if carton.weight_g + a.weight_g + b.weight_g > carton.max_weight_g:
            continue
        for one in _turned(a):
            for two in _turned(b):
                inside = all(max(m, n) <= c for m, n, c in zip(one, two, carton.size, strict=True))
                beside = any(m + n <= c for m, n, c in zip(one, two, carton.size, strict=True))
                if inside and beside:
                    return True
    return False


class _Packer:
    """Lays items out over cartons, and improves the layout while there is time."""

    def __init__(
        self, items: Sequence[PackItem], cartons: Sequence[CartonKind], seconds: float
    ) -> None:
        import numpy as np  # most of the work never needs it, and it takes a while to load

        from relvan.core.packing.fill import fill_carton

        self.fill, self.np = fill_carton, np
        self.items = list(items)
        self.kinds = sorted(cartons, key=lambda one: (one.cost, one.volume, one.id))
        self.dice = np.random.default_rng(7)
        numbers: dict[Any, int] = {}
        rows = []
        for item in items:
            facts = (*item.size, item.weight_g, item.this_way_up, item.fragile)
            rows.append((*map(float, facts), float(numbers.setdefault(facts, len(numbers)))))
        self.goods = np.array(rows)
        self.sizes = {one.id: np.array(one.size, dtype=float) for one in cartons}
        self.tastes = [np.array(one) for one in TASTES]
        self.volume = [item.size[0] * item.size[1] * item.size[2] for item in items]
        self._fill(self.kinds[0], [0], self.tastes[0])  # what is compiled first is not counted
        self.budget = Budget(seconds)

    def best(self, bound: int) -> list[_Load]:
        """Returns the best layout that is found."""
        units = list(range(len(self.items)))
        alone = self._alone(units)
        if alone is not None and alone.carton.cost <= bound:
            return [alone]
        loads = self._lay_out(units, self._by_size(units), self.tastes[0])
        if alone is not None and alone.carton.cost <= _cost(loads):
            loads = [alone]
        for at, key in enumerate((self._by_height, self._by_base)):
            if _cost(loads) > bound and not self.budget.is_over:
                found = self._lay_out(units, key(units), self.tastes[2 + at])
                loads = min(loads, found, key=_worth)
        loads = [self._cheaper(load) for load in loads]
        while _cost(loads) > bound and not self.budget.is_over:
            loads = self._improved(loads)
        return loads

    def _alone(self, units: list[int]) -> _Load | None:
        """Returns the cheapest carton in which all units were found to fit."""
        volume = sum(self.volume[unit] for unit in units)
        weight = sum(self.items[unit].weight_g for unit in units)
        for kind in self.kinds:
            if kind.volume < volume or kind.weight_g + weight > kind.max_weight_g:
                continue
            for order in (self._by_size(units), self._by_base(units), self._by_height(units)):
                for taste in self.tastes:
                    load = self._fill(kind, order, taste)
                    if len(load.units) == len(units):
                        return load
                    if self.budget.is_over:
                        return None
        return None

    def _fill(self, kind: CartonKind, order: Sequence[int], taste: Any) -> _Load:
        room = float(kind.max_weight_g - kind.weight_g)
        packed, boxes = self.fill(
            self.sizes[kind.id], room, self.goods, self.np.array(order), taste
        )
        units = tuple(int(unit) for unit in packed)
        used = sum(self.volume[unit] for unit in units)
        return _Load(kind, units, boxes, used / kind.volume)

    def _lay_out(self, units: Sequence[int], order: list[int], taste: Any) -> list[_Load]:
        """Fills one carton after the other, each of the kind that is cheapest for what it takes."""
        found, left = list[_Load](), list(order)
        while left:
            loads = [self._fill(kind, left, taste) for kind in self.kinds]
            load = self._best_load([load for load in loads if load.units], left)
            found.append(load)
            inside = set(load.units)
            left = [unit for unit in left if unit not in inside]
        return found

    def _best_load(self, loads: list[_Load], left: Sequence[int]) -> _Load:
        wanted = sum(self.volume[unit] for unit in left)
        rated = min(loads, key=lambda load: load.carton.cost / (load.used * load.carton.volume))
        rest = rated.carton.cost * wanted / (rated.used * rated.carton.volume)
        last = [load for load in loads if len(load.units) == len(left)]
        if last:
            end = min(last, key=lambda load: load.carton.cost)
            if end.carton.cost <= max(rest, rated.carton.cost):
                return end
        return rated

    def _cheaper(self, load: _Load) -> _Load:
        """Returns the same units in the cheapest carton that takes them."""
        for kind in self.kinds:
            if kind.cost >= load.carton.cost:
                break
            for order in (list(load.units), self._by_size(load.units)):
                for taste in self.tastes[:3]:
                    found = self._fill(kind, order, taste)
                    if len(found.units) == len(load.units):
                        return found
        return load

    def _improved(self, loads: list[_Load]) -> list[_Load]:
        """Empties a few cartons and fills them anew; returns the better of both layouts."""
        count = min(len(loads), int(self.dice.choice((1, 2, 2, 3, 3, 4))))
        ranked = sorted(loads, key=lambda load: load.used)
        emptied = [ranked.pop(min(int(self.dice.exponential(2.0)), len(ranked) - 1))]
        while len(emptied) < count:
            emptied.append(ranked.pop(int(self.dice.integers(len(ranked)))))
        units = [unit for load in emptied for unit in load.units]
        found = self._lay_out(
            units, self._shaken(units), self.tastes[self.dice.integers(len(self.tastes))]
        )
        if len(self.kinds) > 1:
            found = [self._cheaper(load) for load in found]
        return [*ranked, *found] if _worth(found) <= _worth(emptied) else loads

    def _shaken(self, units: Sequence[int]) -> list[int]:
        """Returns units by size, shaken a little; fragile ones last."""
        shaken = self.dice.uniform(0.4, 1.6, len(units))
        weights = {unit: self.volume[unit] * by for unit, by in zip(units, shaken, strict=True)}
        return sorted(units, key=lambda unit: (self.items[unit].fragile, -weights[unit]))

    def _by_size(self, units: Sequence[int]) -> list[int]:
        return sorted(units, key=lambda unit: (self.items[unit].fragile, -self.volume[unit]))

    def _by_height(self, units: Sequence[int]) -> list[int]:
        return sorted(
            units, key=lambda unit: (self.items[unit].fragile, -max(self.items[unit].size))
        )

    def _by_base(self, units: Sequence[int]) -> list[int]:
        def key(unit: int) -> tuple[bool, float]:
            lengths = sorted(self.items[unit].size)
            return self.items[unit].fragile, -lengths[1] * lengths[2]

        return sorted(units, key=key)

    def told(self, load: _Load) -> PackedCarton:
        """Returns a carton of the layout with the place of every item."""
        placed = []
        for unit, box in zip(load.units, load.boxes.tolist(), strict=True):
            x, y, z, right, far, top = box
            size = (right - x, far - y, top - z)
            placed.append(PlacedItem(self.items[unit].id, (x, y, z), size))
        weight = load.carton.weight_g + sum(self.items[unit].weight_g for unit in load.units)
        return PackedCarton(load.carton, tuple(placed), weight, load.used)


def _cost(loads: Sequence[_Load]) -> int:
    return sum(load.carton.cost for load in loads)


def _worth(loads: Sequence[_Load]) -> tuple[float, float]:
    """Returns what is to be small: the cost, then how evenly the cartons are filled, since a nearly empty
    carton is soon emptied altogether."""
    return _cost(loads), -sum(load.used**2 for load in loads)
