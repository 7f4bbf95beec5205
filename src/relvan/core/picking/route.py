"""Finds the shortest walk through a warehouse for the stops of a pick list.

The walk is exact up to `MOST_EXACT` cross aisles, by the states of `frontier.py`. With more of them the
order of the stops is found on some of the cross aisles and improved on all of them, and a bound is
stated.
"""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from relvan.core.picking.plan import AisleEnd, FloorPlan, Stop, length_of

MOST_EXACT = 5
Point = tuple[int, float]  # an aisle, and the y in it


@dataclass(frozen=True)
class WalkRoute:
    """A walk: its length in metres, the stops in their order (by their places in what was asked), the
    points of the path in metres, and the length that no walk can undercut. `every_aisle_m` is the walk
    through every aisle that has a stop, coming back out of an odd last one."""

    length_m: float
    order: tuple[int, ...]
    path: tuple[tuple[float, float], ...]
    exact: bool
    bound_m: float
    every_aisle_m: float


def shortest_route(plan: FloorPlan, stops: Sequence[Stop]) -> WalkRoute:
    """Returns the shortest walk from the start past all stops to the drop."""
    every = every_aisle_length(plan, stops)
    if len(plan.levels) <= MOST_EXACT:
        points = _exact_points(plan, stops)
        order, path = _order_in(plan, points, stops), _path(plan, points)
        length = round(length_of(path), 6)
        return WalkRoute(length, order, path, True, length, every)
    from relvan.core.picking.tour import bound_on_tour, distances, improve_tour

    ends = (_end(plan, plan.start), _end(plan, plan.drop))
    places = [(stop.aisle, plan.y_of(stop.bay)) for stop in stops]
    far = distances(plan, [ends[0], *places, ends[1]])
    found: list[tuple[float, list[int], tuple[tuple[float, float], ...]]] = []
    for cross in _some(plan.cross, MOST_EXACT - 2):
        fewer = replace(plan, cross=cross)
        order = _order_in(fewer, _exact_points(fewer, stops), stops)
        improved = improve_tour(far, order)
        points = _points_between(plan, [ends[0], *(places[at] for at in improved), ends[1]])
        path = _path(plan, points)
        found.append((round(length_of(path), 6), improved, path))
    length, improved, path = min(found)
    bound = min(length, round(bound_on_tour(far), 6))
    return WalkRoute(length, tuple(improved), path, False, bound, every)


def _end(plan: FloorPlan, end: AisleEnd) -> Point:
    return end.aisle, plan.y_of_end(end)


def _some(cross: tuple[float, ...], count: int) -> set[tuple[float, ...]]:
    """Returns some choices of so many of the cross aisles: evenly, at the front, at the back."""
    even = tuple(cross[(2 * at + 1) * len(cross) // (2 * count)] for at in range(count))
    return {even, cross[:count], cross[-count:]}


# an aisle between two cross aisles, with the y of its stops
@dataclass(frozen=True)
class _Block:
    low: float
    high: float
    stops: tuple[float, ...]

    def ways(self) -> Iterator[tuple[str, float, tuple[tuple[float, float, int], ...]]]:
        """Yields the ways to visit the stops: how, the length, and the stretches (from, to, times)."""
        length = self.high - self.low
        if not self.stops:
            yield "none", 0.0, ()
        yield "once", length, ((self.low, self.high, 1),)
        yield "join", 2 * length, ((self.low, self.high, 2),)
        if not self.stops:
            return
        first, last = self.stops[0], self.stops[-1]
        yield "low", 2 * (last - self.low), ((self.low, last, 2),)
        yield "high", 2 * (self.high - first), ((first, self.high, 2),)
        gaps = [(b - a, a, b) for a, b in zip(self.stops, self.stops[1:], strict=False)]
        if gaps:
            gap, below, above = max(gaps)
            yield "gap", 2 * (length - gap), ((self.low, below, 2), (above, self.high, 2))


def _blocks(plan: FloorPlan, ys: Sequence[float]) -> list[_Block]:
    levels = plan.levels
    found: list[list[float]] = [[] for _ in levels[1:]]
    for y in sorted(set(ys)):
        at = next(block for block, high in enumerate(levels[1:]) if y <= high or high == levels[-1])
        found[at].append(y)
    return [
        _Block(low, high, tuple(ys))
        for low, high, ys in zip(levels, levels[1:], found, strict=False)
    ]


@dataclass(frozen=True)
class _Choice:
    """One way to go on: which states become which, what it costs, and what of the plan is walked."""

    table: Any
    cost: float
    stretches: tuple[tuple[Point, Point, int], ...]


def _steps(plan: FloorPlan, stops: Sequence[Stop], tables: Any) -> Iterator[list[_Choice]]:
    """Yields the decisions from left to right, each with its choices."""
    corners = len(plan.levels)
    by_aisle = defaultdict[int, list[float]](list)
    for stop in stops:
        by_aisle[stop.aisle].append(plan.y_of(stop.bay))
    named = [*by_aisle, plan.start.aisle, plan.drop.aisle]
    ends: dict[int, list[int]] = defaultdict(list)
    for end in (plan.start, plan.drop):
        ends[end.aisle].append(corners - 1 if end.back else 0)
    closed = plan.start == plan.drop
    for aisle in range(min(named), max(named) + 1):
        for corner in ends[aisle]:
            yield [_Choice((tables.touch if closed else tables.turn)[corner], 0.0, ())]
        for at, block in enumerate(_blocks(plan, by_aisle[aisle])):
            yield [
                _Choice(
                    _table(tables, how, at),
                    cost,
                    tuple(((aisle, a), (aisle, b), times) for a, b, times in stretches),
                )
                for how, cost, stretches in block.ways()
            ]
        if aisle < max(named):
            for corner, y in enumerate(plan.levels):
                yield [
                    _Choice(
                        tables.along[corner, times],
                        times * plan.aisle_pitch_m,
                        (((aisle, y), (aisle + 1, y), times),),
                    )
                    for times in range(3)
                ]


def _table(tables: Any, how: str, block: int) -> Any:
    if how in ("once", "join"):
        return getattr(tables, how)[block]
    if how in ("low", "high"):
        return tables.touch[block + (how == "high")]
    return None if how == "none" else tables.both[block]


def _exact_points(plan: FloorPlan, stops: Sequence[Stop]) -> list[Point]:
    """Returns the corners and stops of a shortest walk, in order."""
    import numpy as np  # most of the work never needs it, and it takes a while to load

    from relvan.core.picking.frontier import tables_for

    tables = tables_for(len(plan.levels), plan.start != plan.drop)
    steps = list(_steps(plan, stops, tables))
    costs = np.full(tables.size, np.inf)
    costs[tables.empty] = 0.0
    kept = [costs]
    for choices in steps:
        after = np.full(tables.size, np.inf)
        for choice in choices:
            if choice.table is None:
                np.minimum(after, costs, out=after)
            else:
                before, then = choice.table
                np.minimum.at(after, then, costs[before] + choice.cost)
        costs = after
        kept.append(costs)
    if not stops and plan.start == plan.drop:
        return [_end(plan, plan.start)]
    state = min(tables.whole, key=lambda one: costs[one])
    walked: list[tuple[Point, Point, int]] = []
    for choices, before_costs, after_costs in zip(
        reversed(steps), reversed(kept[:-1]), reversed(kept[1:]), strict=True
    ):
        choice, state = _chosen(choices, before_costs, float(after_costs[state]), state)
        walked += choice.stretches
    return _one_walk(plan, stops, walked)


def _chosen(
    choices: Sequence[_Choice], costs: Any, reached: float, state: int
) -> tuple[_Choice, int]:
    """Returns the choice by which a state was reached at its cost, and the state before it."""
    for choice in choices:
        if choice.table is None:
            if costs[state] == reached:
                return choice, state
            continue
        before, then = choice.table
        for origin in before[then == state]:
            if costs[origin] + choice.cost == reached:
                return choice, int(origin)
    raise AssertionError("no choice leads to a state that was reached")


def _one_walk(
    plan: FloorPlan, stops: Sequence[Stop], walked: Sequence[tuple[Point, Point, int]]
) -> list[Point]:
    """Puts stretches together to one walk from the start to the drop, by the way of Hierholzer."""
    inside = defaultdict[int, set[float]](set)
    for stop in stops:
        inside[stop.aisle].add(plan.y_of(stop.bay))
    next_to: dict[Point, list[Point]] = defaultdict(list)
    for (aisle, low), (other, high), times in walked:
        points = [(aisle, low), (other, high)]
        if aisle == other:
            between = sorted(y for y in inside[aisle] if low < y < high)
            points = [(aisle, y) for y in (low, *between, high)]
        for a, b in zip(points, points[1:], strict=False):
            for _ in range(times if a != b else 0):
                next_to[a].append(b)
                next_to[b].append(a)
    todo, done = [_end(plan, plan.start)], list[Point]()
    while todo:
        here = todo[-1]
        if next_to[here]:
            there = next_to[here].pop()
            next_to[there].remove(here)
            todo.append(there)
        else:
            done.append(todo.pop())
    return done[::-1]


def _order_in(plan: FloorPlan, points: Sequence[Point], stops: Sequence[Stop]) -> tuple[int, ...]:
    """Returns the stops in the order in which a walk comes to them first."""
    reached: dict[Point, int] = {}
    for at, point in enumerate(points):
        reached.setdefault(point, at)
    places = [reached[stop.aisle, plan.y_of(stop.bay)] for stop in stops]
    return tuple(sorted(range(len(stops)), key=lambda at: (places[at], at)))


def _points_between(plan: FloorPlan, points: Sequence[Point]) -> list[Point]:
    """Returns the corners of the shortest walks between points that follow one another."""
    found = [points[0]]
    for a, b in zip(points, points[1:], strict=False):
        if a[0] != b[0]:
            level = min(plan.levels, key=lambda y: abs(a[1] - y) + abs(b[1] - y))
            found += [(a[0], level), (b[0], level)]
        found.append(b)
    return found


def _path(plan: FloorPlan, points: Sequence[Point]) -> tuple[tuple[float, float], ...]:
    """Returns the points in metres, without those that lie on a straight line between others."""
    found: list[tuple[float, float]] = []
    for aisle, y in points:
        here = (round(plan.x_of(aisle), 6), round(y, 6))
        if found and here == found[-1]:
            continue
        if len(found) > 1 and _is_between(found[-2], found[-1], here):
            found.pop()
        found.append(here)
    return tuple(found)


def _is_between(
    a: tuple[float, float], middle: tuple[float, float], b: tuple[float, float]
) -> bool:
    same_x = a[0] == middle[0] == b[0] and (middle[1] - a[1]) * (b[1] - middle[1]) > 0
    same_y = a[1] == middle[1] == b[1] and (middle[0] - a[0]) * (b[0] - middle[0]) > 0
    return same_x or same_y


def every_aisle_length(plan: FloorPlan, stops: Sequence[Stop]) -> float:
    """Returns the length of the walk through every aisle that has a stop, from one side to the other,
    that comes back out of the last one where its other end is not that of the drop."""
    aisles = sorted({stop.aisle for stop in stops})
    if not aisles:
        return round(plan.between(_end(plan, plan.start), _end(plan, plan.drop)), 6)
    deepest = {
        aisle: [plan.y_of(stop.bay) for stop in stops if stop.aisle == aisle] for aisle in aisles
    }
    return round(
        min(_through(plan, order, deepest[order[-1]]) for order in (aisles, aisles[::-1])), 6
    )


def _through(plan: FloorPlan, aisles: Sequence[int], last: Sequence[float]) -> float:
    steps = [plan.start.aisle, *aisles, plan.drop.aisle]
    across = sum(abs(b - a) for a, b in zip(steps, steps[1:], strict=False)) * plan.aisle_pitch_m
    from_back = plan.start.back ^ (len(aisles) % 2 == 0)  # the side at which the last is entered
    full = (len(aisles) - 1) * plan.depth_m
    if from_back != plan.drop.back:
        return across + full + plan.depth_m
    return across + full + 2 * (plan.depth_m - min(last) if from_back else max(last))
