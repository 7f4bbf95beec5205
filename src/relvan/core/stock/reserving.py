"""Chooses the warehouses from which an order is served: all of it from one where that is possible,
in the order of the channel's supply list."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Want:
    """One order line that still needs stock: `quantity` units of a product. Lines with the same
    `together` are the parts of one kit, with `each` units of each in a kit; the parts of a kit come
    from the same warehouse."""

    line: int
    product: int
    quantity: int
    together: int | None = None
    each: int = 1


@dataclass(frozen=True)
class Promise:
    """The units of one line that are promised from one warehouse."""

    line: int
    product: int
    warehouse: int
    quantity: int


@dataclass(frozen=True)
class Missing:
    """The units of one line that no warehouse has."""

    line: int
    product: int
    quantity: int


@dataclass(frozen=True)
class ReservationPlan:
    """What can be promised, and what is missing. The caller decides between all or nothing and
    part."""

    promises: tuple[Promise, ...]
    missing: tuple[Missing, ...]

    @property
    def whole(self) -> bool:
        """Says whether nothing is missing."""
        return not self.missing


Free = Mapping[tuple[int, int], int]


def plan_reservation(
    wants: Sequence[Want], free: Free, supply_list: Sequence[int]
) -> ReservationPlan:
    """Plans which stock to promise. `free[(product, warehouse)]` is in units; `supply_list` is in
    the order of preference.

    The first warehouse that has everything serves everything. Otherwise each line is served by the
    first warehouse that has all of it, else by several in order. Kits come first, because they are
    harder to serve.
    """
    for warehouse in supply_list:
        left = dict(free)
        promises = [_take(want, warehouse, left) for want in wants]
        if all(
            promise.quantity == want.quantity for promise, want in zip(promises, wants, strict=True)
        ):
            return ReservationPlan(tuple(promises), ())
    return _split(wants, dict(free), supply_list)


def _take(want: Want, warehouse: int, left: dict[tuple[int, int], int]) -> Promise:
    key = (want.product, warehouse)
    taken = min(want.quantity, left.get(key, 0))
    left[key] = left.get(key, 0) - taken
    return Promise(want.line, want.product, warehouse, taken)


def _split(
    wants: Sequence[Want], left: dict[tuple[int, int], int], supply_list: Sequence[int]
) -> ReservationPlan:
    promises: list[Promise] = []
    missing: list[Missing] = []
    kits: dict[int, list[Want]] = {}
    for want in wants:
        if want.together is not None:
            kits.setdefault(want.together, []).append(want)
    for parts in kits.values():
        _split_kit(parts, left, supply_list, promises, missing)
    for want in wants:
        if want.together is None:
            _split_line(want, left, supply_list, promises, missing)
    return ReservationPlan(tuple(promises), tuple(missing))


def _split_line(
    want: Want,
    left: dict[tuple[int, int], int],
    supply_list: Sequence[int],
    promises: list[Promise],
    missing: list[Missing],
) -> None:
    whole = next((w for w in supply_list if left.get((want.product, w), 0) >= want.quantity), None)
    open_units = want.quantity
    for warehouse in [whole] if whole is not None else supply_list:
        promise = _take(Want(want.line, want.product, open_units), warehouse, left)
        if promise.quantity:
            promises.append(promise)
            open_units -= promise.quantity
    if open_units:
        missing.append(Missing(want.line, want.product, open_units))


def _split_kit(
    parts: Sequence[Want],
    left: dict[tuple[int, int], int],
    supply_list: Sequence[int],
    promises: list[Promise],
    missing: list[Missing],
) -> None:
    """Takes whole kits from each warehouse in turn, or all from one where that is possible."""
    kits = max(-(-part.quantity // part.each) for part in parts)

    def makes(warehouse: int) -> int:
        return min(left.get((part.product, warehouse), 0) // part.each for part in parts)

    whole = next((w for w in supply_list if makes(w) >= kits), None)
    open_units = {part.line: part.quantity for part in parts}
    for warehouse in [whole] if whole is not None else supply_list:
        made = min(kits, makes(warehouse))
        kits -= made
        for part in parts:
            units = min(made * part.each, open_units[part.line])
            if units:
                promises.append(_take(Want(part.line, part.product, units), warehouse, left))
                open_units[part.line] -= units
    missing += [
        Missing(part.line, part.product, open_units[part.line])
        for part in parts
        if open_units[part.line]
    ]
