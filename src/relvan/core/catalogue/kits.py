"""Kits are sold as one and stocked as their parts. This module works out how many can be made and
what a kit is worth, and finds kits that contain themselves."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TypeVar

from relvan.core.refusal import Refusal
from relvan.core.stock.availability import KitStock, StockBalance

Key = TypeVar("Key", str, int)
MOST_DEPTH = 20


def find_circle(kit: Key, parts_of: Mapping[Key, Sequence[Key]]) -> list[Key]:
    """Returns the path from a kit through its parts back to itself; it is empty when there is none.

    >>> find_circle("A", {"A": ["B"], "B": ["C", "D"], "D": ["A"]})
    ['A', 'B', 'D', 'A']
    """
    way: list[Key] = [kit]
    seen: set[Key] = set()

    def walk(here: Key) -> bool:
        for part in parts_of.get(here, ()):
            if part == kit:
                way.append(part)
                return True
            if part in seen:
                continue
            seen.add(part)
            way.append(part)
            if walk(part):
                return True
            way.pop()
        return False

    return way if walk(kit) else []


def circle_refusal(way: Sequence[str]) -> Refusal:
    """Returns the refusal of a circle of kits; it names every kit on the way."""
    message = f"A kit must not hold itself: {' → '.join(way)}."
    return Refusal("circle", message, "Take one of them out.", "parts")


def leaves_of(kit: Key, parts_of: Mapping[Key, Sequence[tuple[Key, int]]]) -> dict[Key, int]:
    """Returns the stocked parts of a kit, through kits within kits, with the units of each in one
    kit. Units of a part that occurs more than once are added up, so that a part that a kit needs
    both directly and within another kit is not counted twice as available."""
    found: dict[Key, int] = {}

    def add(key: Key, times: int, depth: int) -> None:
        parts = parts_of.get(key)
        if not parts or depth > MOST_DEPTH:
            if depth:
                found[key] = found.get(key, 0) + times
            return
        for part, quantity in parts:
            add(part, times * quantity, depth + 1)

    add(kit, 1, 0)
    return found


@dataclass(frozen=True)
class PartStock:
    """One stocked part of a kit: how many units of it are in one kit, and what each warehouse has
    of it."""

    sku: str
    quantity: int
    balances: Mapping[int, StockBalance]


def can_be_made(
    parts: Sequence[PartStock], warehouses: Mapping[int, str], *, apart: bool
) -> dict[int, KitStock]:
    """Returns how many of a kit each warehouse can make, and which part is the scarcest; see
    docs/rules.md, “What is free”.

    `warehouses` are names by id. With `apart` the parts may come from different warehouses; the
    result then has one entry for all warehouses together, under the id 0.
    """
    if apart:
        free = {
            part.sku: sum(
                balance.free for where, balance in part.balances.items() if where in warehouses
            )
            for part in parts
        }
        return {0: _scarcest("All together", parts, free)}
    found = {}
    for where, name in warehouses.items():
        free = {
            part.sku: part.balances[where].free if where in part.balances else 0 for part in parts
        }
        found[where] = _scarcest(name, parts, free)
    return found


def _scarcest(place: str, parts: Sequence[PartStock], free: Mapping[str, int]) -> KitStock:
    if not parts:
        return KitStock(place, 0, "it has no parts")
    makes = {part.sku: free[part.sku] // part.quantity for part in parts}
    least = min(parts, key=lambda part: makes[part.sku])
    return KitStock(
        place,
        makes[least.sku],
        f"scarcest part {least.sku}: {free[least.sku]} free, {least.quantity} in each",
    )


@dataclass(frozen=True)
class PartWorth:
    """One part of a kit as the sums need it; amounts are in minor units and weights in grams."""

    quantity: int
    price: int | None
    cost: int | None
    weight_g: int | None


@dataclass(frozen=True)
class KitSums:
    """Sums over the parts of a kit; a sum is None where a part does not have the value."""

    parts: int
    units: int
    price: int | None
    cost: int | None
    weight_g: int | None


def kit_sums(parts: Sequence[PartWorth]) -> KitSums:
    """Adds up list prices, costs and weights of the parts of a kit.

    >>> kit_sums([PartWorth(2, 500, 200, 90), PartWorth(1, 300, None, 40)])
    KitSums(parts=2, units=3, price=1300, cost=None, weight_g=220)
    """

    def total(name: str) -> int | None:
        values: list[int | None] = [getattr(part, name) for part in parts]
        if not parts or any(value is None for value in values):
            return None
        return sum(part.quantity * (value or 0) for part, value in zip(parts, values, strict=True))

    return KitSums(
        len(parts),
        sum(part.quantity for part in parts),
        total("price"),
        total("cost"),
        total("weight_g"),
    )
