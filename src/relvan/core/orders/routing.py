"""Chooses the warehouses from which an order leaves, exactly. See docs/rules.md, “Routing”.

The sets of warehouses are tried in the order in which the rule prefers them. So the first set that
can send as much as all warehouses together is the best one, and no better one exists.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from itertools import combinations

from relvan.core.solver import IntegerProblem, Limit, solve
from relvan.core.stock.reserving import Free, Missing, Promise, ReservationPlan, Want


class RoutePolicy(StrEnum):
    """How an order may be split: it leaves whole from one warehouse or not at all, as up to so many
    shipments, or whatever is there is sent."""

    ONE = "one"
    SPLIT = "split"
    THERE = "there"


@dataclass(frozen=True)
class RouteRule:
    """How the orders of a channel are routed. `most` is the largest number of shipments for
    `SPLIT`. With `prefer_near` the positions in the supply list go before the number of
    shipments."""

    policy: RoutePolicy = RoutePolicy.THERE
    most: int = 2
    prefer_near: bool = False

    def limit(self, warehouses: int) -> int:
        """Returns the largest number of shipments out of so many warehouses."""
        if self.policy == RoutePolicy.ONE:
            return 1
        return min(self.most, warehouses) if self.policy == RoutePolicy.SPLIT else warehouses


@dataclass(frozen=True)
class RouteSource:
    """A warehouse in a supply list. `carriage` is what a shipment from there costs, in minor units.
    One with `whole_only` takes an order only if it has all of it."""

    warehouse: int
    carriage: int = 0
    whole_only: bool = False


@dataclass(frozen=True)
class Route:
    """The chosen plan, and the units that each warehouse of the supply list would leave missing if
    the order left from there alone, in the order of the list."""

    plan: ReservationPlan
    alone: tuple[tuple[int, int], ...]


Placed = tuple[int, RouteSource]  # the position in the supply list, from 1


@dataclass(frozen=True)
class _Demand:
    """Something that is wanted: units of a product, or whole kits whose parts stay together.
    `weight` is the units that are missing when one is."""

    wanted: int
    weight: int
    needs: tuple[tuple[int, int], ...]


MOST_TRIED = 12  # of more warehouses the sets are chosen by the solver
NEAREST_PAIR = 3  # the sum of the positions of the two nearest warehouses
EVERYTHING = RouteRule()


def route(
    wants: Sequence[Want], free: Free, sources: Sequence[RouteSource], rule: RouteRule = EVERYTHING
) -> Route:
    """Chooses from which warehouses an order leaves.

    `free[(product, warehouse)]` is in units; `sources` are in the order of the supply list. First
    the fewest units are missing, then there are the fewest shipments, then the sum of positions,
    then the carriage is least, then the lower positions go first.
    """
    if not wants:
        return Route(ReservationPlan((), ()), ())
    demands = _demands(wants)
    shared = _shares_products(demands)
    here = [_capacities(demands, free, source.warehouse) for source in sources]
    if shared:
        missing = [_missing_at(wants, free, [source]) for source in sources]
    else:
        wanted, weights = _wanted(demands), _weights(demands)
        missing = [_weighed(wanted, have, weights) for have in here]
    alone = tuple((source.warehouse, gone) for source, gone in zip(sources, missing, strict=True))
    single = next((at for at, (_, missing) in enumerate(alone) if not missing), None)
    limit = rule.limit(len(sources))
    if single is not None and (limit == 1 or not rule.prefer_near or single < NEAREST_PAIR):
        chosen = [sources[single]]
    elif rule.policy == RoutePolicy.ONE:
        chosen = []
    else:
        useful = [
            (place, source)
            for place, source in enumerate(sources, 1)
            if not source.whole_only and any(here[place - 1])
        ]
        several = _choose(wants, demands, free, useful, rule, shared=shared)
        if single is not None and _is_better(
            [(single + 1, sources[single])],
            several,
            missing=_missing_at(wants, free, [source for _, source in several]),
        ):
            several = [(single + 1, sources[single])]
        chosen = [source for _, source in several]
    return Route(_share_out(wants, dict(free), chosen), alone)


def _demands(wants: Sequence[Want]) -> list[_Demand]:
    units: dict[int, int] = {}
    kits: dict[int, list[Want]] = {}
    for want in wants:
        if want.together is None:
            units[want.product] = units.get(want.product, 0) + want.quantity
        else:
            kits.setdefault(want.together, []).append(want)
    found = [
        _Demand(
            max(-(-part.quantity // part.each) for part in parts),
            sum(part.each for part in parts),
            tuple((part.product, part.each) for part in parts),
        )
        for parts in kits.values()
    ]
    return found + [_Demand(quantity, 1, ((product, 1),)) for product, quantity in units.items()]


def _shares_products(demands: Sequence[_Demand]) -> bool:
    """Says whether two demands want the same product; then neither can be judged by itself."""
    products = [product for demand in demands for product, _ in demand.needs]
    return len(products) != len(set(products))


def _wanted(demands: Sequence[_Demand]) -> list[int]:
    return [demand.wanted for demand in demands]


def _weights(demands: Sequence[_Demand]) -> list[int]:
    return [demand.weight for demand in demands]


def _capacities(demands: Sequence[_Demand], free: Free, warehouse: int) -> list[int]:
    """Returns how much of each demand a warehouse could serve."""
    return [_capacity(demand, free, warehouse) for demand in demands]


def _capacity(demand: _Demand, free: Free, warehouse: int) -> int:
    """Returns how much of a demand a warehouse could serve."""
    if len(demand.needs) == 1:
        product, each = demand.needs[0]
        here = free.get((product, warehouse), 0) // each
    else:
        here = min(free.get((product, warehouse), 0) // each for product, each in demand.needs)
    return min(demand.wanted, max(here, 0))


def _missing_at(wants: Sequence[Want], free: Free, sources: Sequence[RouteSource]) -> int:
    """Returns the units that are missing when an order leaves from some warehouses."""
    return sum(gone.quantity for gone in _share_out(wants, dict(free), sources).missing)


def _is_better(single: Sequence[Placed], several: Sequence[Placed], *, missing: int) -> bool:
    """Says whether one warehouse that has everything goes before several near ones."""
    return missing > 0 or _preference(single, near=True) < _preference(several, near=True)


def _choose(
    wants: Sequence[Want],
    demands: Sequence[_Demand],
    free: Free,
    useful: Sequence[Placed],
    rule: RouteRule,
    *,
    shared: bool,
) -> list[Placed]:
    """Returns the best set among warehouses that have something."""
    if len(useful) > MOST_TRIED:
        if not shared:
            return _solve_sets(demands, free, useful, rule)
        useful = useful[:MOST_TRIED]
    limit = rule.limit(len(useful))
    if shared:
        sizes = [
            (
                _missing_at(wants, free, [source for _, source in chosen]),
                *_preference(chosen, near=rule.prefer_near),
            )
            for size in range(min(1, limit), limit + 1)
            for chosen in combinations(useful, size)
        ]
        places = min(sizes)[-1] if sizes else ()
        return [one for one in useful if one[0] in places]
    return _first_that_sends_most(demands, free, useful, limit, near=rule.prefer_near)


def _preference(chosen: Sequence[Placed], *, near: bool) -> tuple[int, int, int, tuple[int, ...]]:
    places = tuple(place for place, _ in chosen)
    carriage = sum(source.carriage for _, source in chosen)
    first = (sum(places), len(places)) if near else (len(places), sum(places))
    return (*first, carriage, places)


@lru_cache(maxsize=4096)
def _in_order(
    useful: tuple[tuple[int, int], ...], limit: int, near: bool
) -> tuple[tuple[int, ...], ...]:
    """Returns the sets of warehouses, as indices of (position, carriage), the preferred ones
    first."""

    def key(chosen: tuple[int, ...]) -> tuple[int, int, int, tuple[int, ...]]:
        placed = [(useful[at][0], RouteSource(0, useful[at][1])) for at in chosen]
        return _preference(placed, near=near)

    sizes = (combinations(range(len(useful)), size) for size in range(1, limit + 1))
    return tuple(sorted((chosen for some in sizes for chosen in some), key=key))


def _first_that_sends_most(
    demands: Sequence[_Demand], free: Free, useful: Sequence[Placed], limit: int, *, near: bool
) -> list[Placed]:
    """Returns the first set, in the order of preference, that leaves the fewest units missing."""
    if not useful:
        return []
    wanted, weights = _wanted(demands), _weights(demands)
    here = [_capacities(demands, free, source.warehouse) for _, source in useful]
    everything = [min(want, sum(of)) for want, *of in zip(wanted, *here, strict=True)]
    least = _weighed(wanted, everything, weights)
    order = _in_order(tuple((place, s.carriage) for place, s in useful), limit, near)
    best: tuple[int, tuple[int, ...]] | None = None
    for chosen in order:
        have = here[chosen[0]]
        for at in chosen[1:]:
            have = [a + b for a, b in zip(have, here[at], strict=True)]
        missing = _weighed(wanted, have, weights)
        if missing == least:
            best = (missing, chosen)
            break
        if best is None or missing < best[0]:
            best = (missing, chosen)
    return [useful[at] for at in best[1]] if best else []


def _weighed(wanted: Iterable[int], have: Iterable[int], weights: Iterable[int]) -> int:
    return sum(
        weight * (want - has)
        for want, has, weight in zip(wanted, have, weights, strict=True)
        if want > has
    )


def _solve_sets(
    demands: Sequence[_Demand], free: Free, useful: Sequence[Placed], rule: RouteRule
) -> list[Placed]:
    """Chooses among many warehouses by integer programmes, one for each step of the preference;
    each step keeps what the steps before it have reached."""
    count, limit = len(useful), rule.limit(len(useful))
    pairs = [
        (at, number, capacity)
        for at, (_, source) in enumerate(useful)
        for number, demand in enumerate(demands)
        if (capacity := _capacity(demand, free, source.warehouse))
    ]
    most = (*(1 for _ in useful), *(capacity for _, _, capacity in pairs))
    rows = [Limit(tuple((at, 1) for at in range(count)), high=limit)]
    rows += [
        Limit(((count + number, 1), (at, -capacity)), high=0)
        for number, (at, _, capacity) in enumerate(pairs)
    ]
    for number, demand in enumerate(demands):
        terms = tuple((count + at, 1.0) for at, pair in enumerate(pairs) if pair[1] == number)
        rows.append(Limit(terms, high=demand.wanted))
    sent = (0.0,) * count + tuple(float(demands[number].weight) for _, number, _ in pairs)
    rest = (0.0,) * len(pairs)
    fewest = (-1.0,) * count + rest
    nearest = tuple(-float(place) for place, _ in useful) + rest
    cheapest = tuple(-float(source.carriage) for _, source in useful) + rest
    middle = (nearest, fewest) if rule.prefer_near else (fewest, nearest)
    firsts = (
        tuple(float(at == wanted) for at in range(count)) + rest for wanted in range(count)
    )  # the lower positions go first
    values: tuple[int, ...] = ()
    for gain in (sent, *middle, cheapest, *firsts):
        solution = solve(IntegerProblem(gain, most, tuple(rows)), start=values)
        assert solution is not None, "sending nothing is always possible"
        values = solution.values
        reached = sum(a * b for a, b in zip(gain, values, strict=True))
        terms = tuple((at, value) for at, value in enumerate(gain) if value)
        rows.append(Limit(terms, low=reached))
    return [one for at, one in enumerate(useful) if values[at]]


def _share_out(
    wants: Sequence[Want], left: dict[tuple[int, int], int], sources: Sequence[RouteSource]
) -> ReservationPlan:
    """Takes the units from the chosen warehouses: kits first, since they are harder to serve; a
    line from the first warehouse that has all of it, else from several in order."""
    promises: list[Promise] = []
    missing: list[Missing] = []
    kits: dict[int, list[Want]] = {}
    for want in wants:
        if want.together is not None:
            kits.setdefault(want.together, []).append(want)
    warehouses = [source.warehouse for source in sources]
    for parts in kits.values():
        _take_kits(parts, left, warehouses, promises, missing)
    for want in wants:
        if want.together is None:
            _take_line(want, left, warehouses, promises, missing)
    return ReservationPlan(tuple(promises), tuple(missing))


def _take(want: Want, units: int, warehouse: int, left: dict[tuple[int, int], int]) -> Promise:
    key = (want.product, warehouse)
    taken = min(units, left.get(key, 0))
    left[key] = left.get(key, 0) - taken
    return Promise(want.line, want.product, warehouse, taken)


def _take_line(
    want: Want,
    left: dict[tuple[int, int], int],
    warehouses: Sequence[int],
    promises: list[Promise],
    missing: list[Missing],
) -> None:
    whole = next((w for w in warehouses if left.get((want.product, w), 0) >= want.quantity), None)
    open_units = want.quantity
    for warehouse in [whole] if whole is not None else warehouses:
        promise = _take(want, open_units, warehouse, left)
        if promise.quantity:
            promises.append(promise)
            open_units -= promise.quantity
    if open_units:
        missing.append(Missing(want.line, want.product, open_units))


def _take_kits(
    parts: Sequence[Want],
    left: dict[tuple[int, int], int],
    warehouses: Sequence[int],
    promises: list[Promise],
    missing: list[Missing],
) -> None:
    """Takes whole kits from each warehouse in turn, or all from one where that is possible."""
    kits = max(-(-part.quantity // part.each) for part in parts)

    def makes(warehouse: int) -> int:
        return min(left.get((part.product, warehouse), 0) // part.each for part in parts)

    whole = next((w for w in warehouses if makes(w) >= kits), None)
    open_units = {part.line: part.quantity for part in parts}
    for warehouse in [whole] if whole is not None else warehouses:
        made = min(kits, makes(warehouse))
        kits -= made
        for part in parts:
            units = min(made * part.each, open_units[part.line])
            if units:
                promises.append(_take(part, units, warehouse, left))
                open_units[part.line] -= units
    missing += [
        Missing(part.line, part.product, open_units[part.line])
        for part in parts
        if open_units[part.line]
    ]


def warehouses_of(plan: ReservationPlan) -> Iterator[tuple[int, list[Promise]]]:
    """Yields the warehouses of a plan with what leaves from each, in the order of the plan."""
    by_warehouse: Mapping[int, list[Promise]] = {promise.warehouse: [] for promise in plan.promises}
    for promise in plan.promises:
        by_warehouse[promise.warehouse].append(promise)
    yield from by_warehouse.items()
