"""What is wanted from the stock of several warehouses, what is promised, and what is missing. The
warehouses are chosen in `core/orders/routing.py`."""

from collections.abc import Mapping
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
