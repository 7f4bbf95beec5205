"""Quantities of very many products at once, by the same rules as `shown_quantity` and without the whys."""

from collections.abc import Mapping, Sequence

from relvan.core.stock.availability import StockPolicy
from relvan.core.stock.pace import Pace
from relvan.core.stock.risk import hold_back_of

Free = Sequence[int]


def free_of_kits(parts: Sequence[Sequence[tuple[int, int]]], free: Free) -> list[int]:
    """How often each kit can be made in one warehouse, from (part, units in one kit): positions in `free`, what is free
    there of each product."""
    return [min([free[part] // units for part, units in held]) if held else 0 for held in parts]


def free_over_all(supply_list: Sequence[Free]) -> list[int]:
    """What is free of each product over the warehouses of a supply list."""
    return [sum(held) for held in zip(*supply_list, strict=True)]


def shown_quantities(
    free: Free,
    policy: StockPolicy,
    most: int,
    paces: Mapping[int, Pace] | None = None,
) -> list[int]:
    """What a channel shows of each product of which so much is free. `paces`, for a hold-back by risk, are by position;
    of others nothing is held back."""
    if policy.fixed is not None:
        fixed = policy.fixed
        if policy.beyond_stock:
            return [min(fixed, most)] * len(free)
        top = min(fixed, most)
        return [top if units > top else units for units in free]
    over, under = (policy.share / 100).as_integer_ratio()
    shown = list(free) if over == under else [units * over // under for units in free]
    if policy.risk is not None:
        for place, pace in (paces or {}).items():
            shown[place] -= hold_back_of(pace.mean, float(policy.risk))
    elif policy.hold_back:
        held = policy.hold_back
        shown = [units - held for units in shown]
    top = most if policy.cap is None else min(most, policy.cap)
    least = max(1, policy.least)
    # the cap comes before the least: a cap below it leaves nothing
    if policy.cap is not None and policy.cap < policy.least:
        return [0] * len(shown)
    return [0 if units < least else top if units > top else units for units in shown]
