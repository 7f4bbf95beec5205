"""Quantities of very many products at once, by the same rules as `shown_quantity` and without the
whys. Many products have the same number of free units, so each number is worked out once."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import chain
from operator import add, eq, floordiv, itemgetter

from relvan.core.stock.availability import StockPolicy
from relvan.core.stock.pace import SellingPace
from relvan.core.stock.risk import hold_back_of

Free = Sequence[int]
MOST_IN_TABLE = 4_096


def free_of_kits(
    parts: Sequence[Sequence[tuple[int, int]]], warehouses: Sequence[Free]
) -> list[list[int]]:
    """Returns how often each kit can be made in each warehouse. `parts` are (part, units in one
    kit) for each kit; a part is a position in a warehouse's numbers, which are what is free there
    of each product.

    >>> free_of_kits([[(0, 1), (1, 2)], []], [[5, 4], [9, 0]])
    [[2, 0], [0, 0]]
    """
    sizes = list(map(len, parts))
    if parts and sizes[0] and sizes.count(sizes[0]) == len(sizes):
        return _free_of_alike(parts, sizes[0], warehouses)
    found = [[0] * len(parts) for _ in warehouses]
    for size in set(sizes) - {0}:  # what has no parts cannot be made
        places = [place for place, held in enumerate(sizes) if held == size]
        alike = _free_of_alike([parts[place] for place in places], size, warehouses)
        for made, numbers in zip(found, alike, strict=True):
            for place, number in zip(places, numbers, strict=True):
                made[place] = number
    return found


def _free_of_alike(
    parts: Sequence[Sequence[tuple[int, int]]], size: int, warehouses: Sequence[Free]
) -> list[list[int]]:
    """Returns how often kits of `size` parts each can be made in each warehouse."""
    laid = list(chain.from_iterable(chain.from_iterable(parts)))
    named, units = laid[::2], laid[1::2]
    return [
        _least_of(list(map(floordiv, _looked_up(free, named), units)), size) for free in warehouses
    ]


def _least_of(numbers: list[int], size: int) -> list[int]:
    """Returns the least of every `size` numbers that follow one another."""
    least = numbers[::size]
    for nth in range(1, size):
        pairs = zip(least, numbers[nth::size], strict=True)
        least = [one if one < other else other for one, other in pairs]
    return least


def free_over_all(supply_list: Sequence[Free]) -> list[int]:
    """Returns what is free of each product over the warehouses of a supply list.

    >>> free_over_all([[5, 4], [9, 0]])
    [14, 4]
    """
    total: Iterable[int] = supply_list[0]
    for free in supply_list[1:]:
        total = map(add, total, free)
    return list(total)


def shown_quantities(
    free: Free,
    policy: StockPolicy,
    most: int,
    paces: Mapping[int, SellingPace] | None = None,
) -> list[int]:
    """Returns what a channel shows of each product, from what is free of it. `paces` are by
    position and are needed for a buffer by risk; without one no units are kept back."""
    rule = _rule(policy, most)
    worked_out = {units: rule(units, 0) for units in set(free)}
    shown = _translated(free, worked_out)
    if policy.risk is not None and policy.fixed is None:
        for place, pace in (paces or {}).items():
            shown[place] = rule(free[place], hold_back_of(pace.mean, float(policy.risk)))
    return shown


def _translated(numbers: Free, worked_out: Mapping[int, int]) -> list[int]:
    """Returns what was worked out for each of these numbers. A list is quicker to look into than a
    mapping, and is made where the numbers are small; nothing is looked up where all stay as they
    are, as by a channel that shows all that is free."""
    if all(map(eq, worked_out, worked_out.values())):
        return list(numbers)
    if min(worked_out) >= 0 and max(worked_out) <= MOST_IN_TABLE:
        table = [worked_out.get(number, 0) for number in range(max(worked_out) + 1)]
        return [table[number] for number in numbers]
    return _looked_up(worked_out, numbers)


def _looked_up(table: Mapping[int, int] | Sequence[int], places: Sequence[int]) -> list[int]:
    """Returns what a table has at each of these places."""
    if len(places) < 2:
        return [table[place] for place in places]
    return list(itemgetter(*places)(table))


def _rule(policy: StockPolicy, most: int) -> Callable[[int, int], int]:
    """Returns the function that gives what is shown of so many free units, with so many kept back
    by risk."""
    if policy.fixed is not None:
        fixed = min(policy.fixed, most)
        if policy.beyond_stock:
            return lambda units, held: fixed
        return lambda units, held: min(units, fixed)
    over, under = (policy.share / 100).as_integer_ratio()
    buffer = policy.hold_back if policy.risk is None else 0
    cap, least = policy.cap, max(1, policy.least)

    def shown(units: int, held: int) -> int:
        quantity = units * over // under - buffer - held
        if cap is not None:  # before the least: a cap below it leaves nothing
            quantity = min(quantity, cap)
        return 0 if quantity < least else min(quantity, most)

    return shown
