"""Chooses which orders get goods that are not enough for all of them. See docs/rules.md,
“Reserving”.

Orders that share a contested product, directly or through others, are chosen together; the rest is
served anyway. *Most orders whole* and *most money* are exact: the solver proves that no other
choice serves more.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum
from itertools import count

from relvan.core.solver import Budget, IntegerProblem, Limit, solve


class ServeBy(StrEnum):
    """Who is served when there is not enough for all: the oldest first, as many orders as possible,
    or as much money as possible."""

    AGE = "age"
    MOST = "most"
    MONEY = "money"


@dataclass(frozen=True)
class WaitingOrder:
    """An order that waits for stock: the units that it lacks by product, and its value in minor
    units. `channel` is that of the order."""

    key: str
    placed: datetime
    value: int
    units: Mapping[str, int]
    promised: date | None = None
    channel: str = ""


@dataclass(frozen=True)
class ServedOrders:
    """The keys of the orders that are served whole, in the order in which they are served. `reached`
    is how many they are, or their value; no choice can reach more than `bound`, and an `exact` one
    reaches it."""

    whole: tuple[str, ...]
    reached: int
    bound: int
    exact: bool


BLOCK = 16  # orders whose order of age is settled by one programme
SECONDS = 1.9
TO_CHOOSE = 0.7  # the share of the time after which ties are settled


def in_turn(orders: Iterable[WaitingOrder], *, first: str = "") -> list[WaitingOrder]:
    """Returns orders in the order in which they are served: those with a promised day first, by
    that day; then the oldest. With `first` the orders of that channel go before all others."""
    return sorted(
        orders,
        key=lambda order: (
            bool(first) and order.channel != first,
            order.promised is None,
            order.promised or date.min,
            order.placed,
        ),
    )


def choose_by_age(
    free: Mapping[str, int], orders: Iterable[WaitingOrder], *, first: str = ""
) -> ServedOrders:
    """Serves orders one after the other; one that cannot be served whole takes nothing."""
    left = dict(free)
    whole = []
    for order in in_turn(orders, first=first):
        if all(units <= left.get(product, 0) for product, units in order.units.items()):
            whole.append(order.key)
            for product, units in order.units.items():
                left[product] = left.get(product, 0) - units
    return ServedOrders(tuple(whole), len(whole), len(whole), exact=True)


def choose_served(
    free: Mapping[str, int],
    orders: Iterable[WaitingOrder],
    by: ServeBy,
    *,
    seconds: float = SECONDS,
) -> ServedOrders:
    """Chooses the orders that are served whole. Of choices that reach the same, the one that serves
    the older orders is taken: the first order in which two choices differ decides.

    Args:
        free: the units that may be given out, by product.
        orders: the orders that want some of them.
        by: what is reached at most.
        seconds: how long the solver may take; beyond that the choice says the bound that it proved.
    """
    if by == ServeBy.AGE:
        return choose_by_age(free, orders)
    turn = in_turn(orders)
    able = [
        at
        for at, order in enumerate(turn)
        if all(units <= free.get(product, 0) for product, units in order.units.items())
    ]
    contested = _contested(free, [turn[at] for at in able])
    served: list[int] = []
    bound, exact = 0, True
    budget = Budget(seconds)
    for together in _components(turn, able, contested):
        some, most, proven = _choose_together(free, turn, together, contested, by, budget)
        served += some
        bound += most
        exact = exact and proven
    reached = sum(_gain(turn[at], by) for at in served)
    return ServedOrders(tuple(turn[at].key for at in sorted(served)), reached, bound, exact)


def _gain(order: WaitingOrder, by: ServeBy) -> int:
    return 1 if by == ServeBy.MOST else order.value


def _contested(free: Mapping[str, int], orders: Sequence[WaitingOrder]) -> set[str]:
    """Returns the products of which more is wanted than there is."""
    wanted: dict[str, int] = {}
    for order in orders:
        for product, units in order.units.items():
            wanted[product] = wanted.get(product, 0) + units
    return {product for product, units in wanted.items() if units > free.get(product, 0)}


def _components(
    turn: Sequence[WaitingOrder], able: Sequence[int], contested: set[str]
) -> list[list[int]]:
    """Returns groups of orders that compete with each other; orders of different groups do not."""
    leader: dict[object, object] = {}

    def find(one: object) -> object:
        while leader.setdefault(one, one) != one:
            leader[one] = leader[leader[one]]
            one = leader[one]
        return one

    for at in able:
        for product in turn[at].units:
            if product in contested:
                leader[find(at)] = find(product)
    groups: dict[object, list[int]] = {}
    for at in able:
        groups.setdefault(find(at), []).append(at)
    return list(groups.values())


def _choose_together(
    free: Mapping[str, int],
    turn: Sequence[WaitingOrder],
    together: Sequence[int],
    contested: set[str],
    by: ServeBy,
    budget: Budget,
) -> tuple[list[int], int, bool]:
    """Returns the orders served of one group, a bound of what can be reached, and whether it is
    reached."""
    gains = [_gain(turn[at], by) for at in together]
    if len(together) == 1:
        return list(together), gains[0], True
    rows = _rows(free, [turn[at] for at in together], contested)
    most = (1,) * len(together)
    start = _greedy(free, [turn[at] for at in together], contested)
    solution = solve(
        IntegerProblem(tuple(map(float, gains)), most, rows),
        seconds=TO_CHOOSE * budget.left,
        start=start,
    )
    assert solution is not None, "serving nobody is always possible"
    values = solution.values
    reached = sum(gain for gain, value in zip(gains, values, strict=True) if value)
    if not solution.exact:
        bound = int(min(solution.bound, sum(gains)))  # without a bound the solver tells infinity
        return [at for at, value in zip(together, values, strict=True) if value], bound, False
    everything = Limit(tuple((at, float(gain)) for at, gain in enumerate(gains)), low=reached)
    values = _older_first(values, (*rows, everything), budget)
    return [at for at, value in zip(together, values, strict=True) if value], reached, True


def _rows(
    free: Mapping[str, int], orders: Sequence[WaitingOrder], contested: set[str]
) -> tuple[Limit, ...]:
    wanted: dict[str, list[tuple[int, float]]] = {}
    for at, order in enumerate(orders):
        for product, units in order.units.items():
            if product in contested:
                wanted.setdefault(product, []).append((at, float(units)))
    return tuple(
        Limit(tuple(terms), high=free.get(product, 0)) for product, terms in wanted.items()
    )


def _greedy(
    free: Mapping[str, int], orders: Sequence[WaitingOrder], contested: set[str]
) -> tuple[int, ...]:
    """Returns a choice that is possible: the oldest first."""
    left = {product: free.get(product, 0) for product in contested}
    values = []
    for order in orders:
        wants = {product: n for product, n in order.units.items() if product in contested}
        fits = all(units <= left[product] for product, units in wants.items())
        values.append(int(fits))
        for product, units in wants.items() if fits else ():
            left[product] -= units
    return tuple(values)


def _older_first(
    values: tuple[int, ...], rows: tuple[Limit, ...], budget: Budget
) -> tuple[int, ...]:
    """Returns the choice that serves the older orders among all that reach as much. The orders are
    settled in blocks, from the oldest on; what is settled stays."""
    for begin in count(0, BLOCK):
        block = range(begin, min(begin + BLOCK, len(values)))
        if not block or budget.is_over:
            return values
        if not all(values[at] for at in block):  # else nothing older can be served
            values = _settle(values, rows, block, budget)
        fixed = tuple(Limit(((at, 1.0),), low=values[at], high=values[at]) for at in block)
        rows = (*rows, *fixed)
    return values


def _settle(
    values: tuple[int, ...], rows: tuple[Limit, ...], block: range, budget: Budget
) -> tuple[int, ...]:
    gain = [0.0] * len(values)
    for at in block:
        gain[at] = float(2 ** (block.stop - 1 - at))
    problem = IntegerProblem(tuple(gain), (1,) * len(values), rows)
    solution = solve(problem, seconds=budget.left, start=values)
    return solution.values if solution is not None and solution.exact else values
