"""From which warehouses an order is served: whole from one where that can be, in the channel's order."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Want:
    """One order line that still wants stock: `quantity` units of a product."""

    line: int
    product: int
    quantity: int


@dataclass(frozen=True)
class Promise:
    """Units of one line promised from one warehouse."""

    line: int
    product: int
    warehouse: int
    quantity: int


@dataclass(frozen=True)
class Missing:
    """Units of one line that nobody has."""

    line: int
    product: int
    quantity: int


@dataclass(frozen=True)
class ReservationPlan:
    """What can be promised, and what is missing for the whole. All or nothing is the caller's choice."""

    promises: tuple[Promise, ...]
    missing: tuple[Missing, ...]

    @property
    def whole(self) -> bool:
        """Whether nothing is missing."""
        return not self.missing


Free = Mapping[tuple[int, int], int]


def plan_reservation(wants: Sequence[Want], free: Free, supply_list: Sequence[int]) -> ReservationPlan:
    """Promise stock for the wants. `free[(product, warehouse)]` is in units; `supply_list` in order of choice.

    The first warehouse that has everything serves everything. Otherwise each line is served by the first
    warehouse that has all of it, else by several in order.
    """
    for warehouse in supply_list:
        left = dict(free)
        promises = [_take(want, warehouse, left) for want in wants]
        if all(promise.quantity == want.quantity for promise, want in zip(promises, wants, strict=True)):
            return ReservationPlan(tuple(promises), ())
    return _split(wants, dict(free), supply_list)


def _take(want: Want, warehouse: int, left: dict[tuple[int, int], int]) -> Promise:
    key = (want.product, warehouse)
    taken = min(want.quantity, left.get(key, 0))
    left[key] = left.get(key, 0) - taken
    return Promise(want.line, want.product, warehouse, taken)


def _split(wants: Sequence[Want], left: dict[tuple[int, int], int], supply_list: Sequence[int]) -> ReservationPlan:
    promises: list[Promise] = []
    missing: list[Missing] = []
    for want in wants:
        whole = next((w for w in supply_list if left.get((want.product, w), 0) >= want.quantity), None)
        open_units = want.quantity
        for warehouse in [whole] if whole is not None else supply_list:
            promise = _take(Want(want.line, want.product, open_units), warehouse, left)
            if promise.quantity:
                promises.append(promise)
                open_units -= promise.quantity
        if open_units:
            missing.append(Missing(want.line, want.product, open_units))
    return ReservationPlan(tuple(promises), tuple(missing))
