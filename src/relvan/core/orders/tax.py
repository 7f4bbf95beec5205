"""Tax per order line, rounded half up. See docs/rules.md, “Orders”."""

from collections.abc import Callable
from decimal import Decimal

from relvan.core.money import part_half_up

TAX_PERCENT = {"standard": Decimal(20), "reduced": Decimal(10), "zero": Decimal(0)}


def tax_inside(gross: int, percent: Decimal) -> int:
    """Returns the tax inside a gross amount, in minor units: `gross - round(gross / (1 + r))`.

    >>> tax_inside(2400, Decimal(20))
    400
    """
    over, under = percent.as_integer_ratio()
    net = part_half_up(abs(gross), 100 * under, 100 * under + over)
    return gross - (net if gross >= 0 else -net)


def net_in(percent: Decimal) -> Callable[[int], int]:
    """Returns a function that takes the tax inside out of gross amounts that are not below 0; it is
    `tax_inside` prepared for many amounts."""
    over, under = percent.as_integer_ratio()
    net, gross = 100 * under, 100 * under + over
    return lambda amount: (2 * amount * net + gross) // (2 * gross)
