"""How a packer arranges the goods of a carton otherwise than proposed: a unit is taken out, put down at another
place, and comes to rest there on the bottom or on what lies below. The rules are those of the proposal: all
lies inside, nothing overlaps, four fifths of every base are supported, and nothing rests on what is fragile.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from relvan.core.packing.cartons import PackedCarton, PackItem, PlacedItem
from relvan.core.refusal import Refused, refuse

LEAST_SUPPORT = 0.8
SNAP_MM = 8.0  # a unit that is put down so near to a wall or to another unit is pushed against it
SLACK = 1e-6


class Push(StrEnum):
    """Where a unit is pushed, as one looks into the carton from above."""

    LEFT = "left"
    RIGHT = "right"
    BACK = "back"
    FRONT = "front"


@dataclass(frozen=True)
class ArrangedCarton:
    """A carton as it is arranged now, and the number that the moved unit has in it."""

    packed: PackedCarton
    number: int


@dataclass(frozen=True)
class _Axis:
    axis: int
    sign: int


AXES = {
    Push.LEFT: _Axis(0, -1),
    Push.RIGHT: _Axis(0, 1),
    Push.BACK: _Axis(1, -1),
    Push.FRONT: _Axis(1, 1),
}


def put_down(
    packed: PackedCarton, goods: Mapping[str, PackItem], number: int, x: float, y: float
) -> ArrangedCarton:
    """Returns a carton with a unit (its number counts from 1) put down with its near corner at a place, in
    millimetres. Near a wall or another unit it is pushed against it.

    Raises:
        Refused: if the unit cannot lie there, or another one rests on it.
    """
    unit, others = _taken_out(packed, number)
    at = (_snapped(packed, others, unit, 0, x), _snapped(packed, others, unit, 1, y))
    return _laid(packed, goods, number, replace(unit, at=(*at, 0.0)))


def turn(packed: PackedCarton, goods: Mapping[str, PackItem], number: int) -> ArrangedCarton:
    """Returns a carton with a unit turned by a quarter, its near corner where it was as far as the walls
    allow."""
    unit, _ = _taken_out(packed, number)
    wide, deep, high = unit.size
    x = min(unit.at[0], packed.carton.size[0] - deep)
    y = min(unit.at[1], packed.carton.size[1] - wide)
    return _laid(packed, goods, number, PlacedItem(unit.id, (x, y, 0.0), (deep, wide, high)))


def push(
    packed: PackedCarton, goods: Mapping[str, PackItem], number: int, where: Push
) -> ArrangedCarton:
    """Returns a carton with a unit pushed to the next place on its way at which it meets a wall or a unit
    and can lie; it stays where it is when there is none."""
    unit, others = _taken_out(packed, number)
    way = AXES[where]
    here = unit.at[way.axis]
    places = [
        place
        for place in _meeting(packed, others, unit, way.axis)
        if (place - here) * way.sign > SLACK
    ]
    for place in sorted(places, key=lambda one: one * way.sign):
        x, y = (place, unit.at[1]) if way.axis == 0 else (unit.at[0], place)
        try:
            return _laid(packed, goods, number, replace(unit, at=(x, y, 0.0)))
        except Refused:
            continue
    return ArrangedCarton(packed, number)


def check_arranged(packed: PackedCarton, goods: Mapping[str, PackItem]) -> None:
    """Checks that a carton can be packed as it is arranged.

    Raises:
        Refused: with the first thing that is wrong.
    """
    for number, unit in enumerate(packed.items, 1):
        facts = goods[unit.id]
        upright = unit.size[2] == facts.size[2]
        if sorted(unit.size) != sorted(facts.size) or (facts.this_way_up and not upright):
            raise _wrong(number, unit, "does not lie as it may")
        ends = zip(unit.at, unit.size, packed.carton.size, strict=True)
        if not all(a >= -SLACK and a + d <= inside + SLACK for a, d, inside in ends):
            raise _wrong(number, unit, "sticks out of the carton")
        others = [one for at, one in enumerate(packed.items, 1) if at != number]
        if any(_base(unit, one) > SLACK and _height(unit, one) > SLACK for one in others):
            raise _wrong(number, unit, "lies where another unit is")
        _check_support(number, unit, others, goods)


def read_arranged(
    told: Any, proposed: PackedCarton, goods: Mapping[str, PackItem]
) -> PackedCarton | None:
    """Returns a carton as it was arranged before, told as its code and a list of units, each with its SKU,
    its corner and its lengths; None where that is not an arrangement of what is to be packed now."""
    try:
        code, rows = told
        items = tuple(
            PlacedItem(str(row[0]), (_mm(row[1]), _mm(row[2]), _mm(row[3])), _lengths(row[4:7]))
            for row in rows
        )
    except (TypeError, ValueError, IndexError, KeyError):
        return None
    same = Counter(one.id for one in items) == Counter(one.id for one in proposed.items)
    if code != proposed.carton.id or not same:
        return None
    arranged = replace(proposed, items=items)
    try:
        check_arranged(arranged, goods)
    except Refused:
        return None
    return arranged


def told_arranged(packed: PackedCarton) -> list[Any]:
    """Returns a carton as plain data, as `read_arranged` reads it."""
    return [packed.carton.id, [[one.id, *one.at, *one.size] for one in packed.items]]


def _mm(value: Any) -> float:
    number = float(value)
    if not 0 <= number <= 100_000:
        raise ValueError(value)
    return number


def _lengths(values: Sequence[Any]) -> tuple[float, float, float]:
    wide, deep, high = (_mm(value) for value in values)
    return wide, deep, high


def _taken_out(packed: PackedCarton, number: int) -> tuple[PlacedItem, list[PlacedItem]]:
    if not 1 <= number <= len(packed.items):
        message = f"There is no unit {number} in this carton."
        raise refuse("not-found", message, "Reload the page.", "number")
    unit = packed.items[number - 1]
    others = [one for at, one in enumerate(packed.items, 1) if at != number]
    above = [
        at
        for at, one in enumerate(packed.items, 1)
        if at != number and _rests_on(one, unit) and _base(one, unit) > SLACK
    ]
    if above:
        names = ", ".join(str(at) for at in above)
        message = f"{names} {'rests' if len(above) == 1 else 'rest'} on {number}."
        raise refuse("rests", message, "Move what rests on it first.", "number")
    return unit, others


def _laid(
    packed: PackedCarton, goods: Mapping[str, PackItem], number: int, unit: PlacedItem
) -> ArrangedCarton:
    """Returns a carton with a unit come to rest on what lies below its place. Numbers are given from the
    bottom to the top, since that is the order in which units are put in."""
    below = [
        one.at[2] + one.size[2]
        for at, one in enumerate(packed.items, 1)
        if at != number and _base(unit, one) > SLACK
    ]
    rested = replace(unit, at=(*unit.at[:2], max(below, default=0.0)))
    items = (*packed.items[: number - 1], rested, *packed.items[number:])
    check_arranged(replace(packed, items=items), goods)
    order = sorted(range(len(items)), key=lambda at: items[at].at[2])
    arranged = replace(packed, items=tuple(items[at] for at in order))
    return ArrangedCarton(arranged, order.index(number - 1) + 1)


def _meeting(
    packed: PackedCarton, others: Sequence[PlacedItem], unit: PlacedItem, axis: int
) -> set[float]:
    """Returns the places on an axis at which a unit meets a wall or the side of another unit."""
    long = unit.size[axis]
    places = {0.0, packed.carton.size[axis] - long}
    for one in others:
        places |= {one.at[axis] - long, one.at[axis] + one.size[axis]}
    return {place for place in places if 0 <= place <= packed.carton.size[axis] - long + SLACK}


def _snapped(
    packed: PackedCarton, others: Sequence[PlacedItem], unit: PlacedItem, axis: int, place: float
) -> float:
    near = min(
        _meeting(packed, others, unit, axis), key=lambda one: abs(one - place), default=place
    )
    return near if abs(near - place) <= SNAP_MM else place


def _check_support(
    number: int, unit: PlacedItem, others: Sequence[PlacedItem], goods: Mapping[str, PackItem]
) -> None:
    if unit.at[2] <= SLACK:
        return
    held = 0.0
    for one in others:
        shared = _base(unit, one) if _rests_on(unit, one) else 0.0
        if shared > SLACK and goods[one.id].fragile:
            raise _wrong(number, unit, f"would rest on {one.id}, which is fragile")
        held += shared
    if held < LEAST_SUPPORT * unit.size[0] * unit.size[1] - SLACK:
        raise _wrong(number, unit, "would not stand: too little of its base is supported")


def _rests_on(above: PlacedItem, below: PlacedItem) -> bool:
    return abs(above.at[2] - below.at[2] - below.size[2]) <= SLACK


def _base(a: PlacedItem, b: PlacedItem) -> float:
    """Returns the area over which two units lie above one another, in square millimetres."""
    return max(0.0, _shared(a, b, 0)) * max(0.0, _shared(a, b, 1))


def _height(a: PlacedItem, b: PlacedItem) -> float:
    return _shared(a, b, 2)


def _shared(a: PlacedItem, b: PlacedItem, axis: int) -> float:
    end = min(a.at[axis] + a.size[axis], b.at[axis] + b.size[axis])
    return end - max(a.at[axis], b.at[axis])


def _wrong(number: int, unit: PlacedItem, what: str) -> Refused:
    message = f"{number} ({unit.id}) {what}."
    return refuse("cannot-lie", message, "Put it down elsewhere.", "number")
