"""Tax per order line, half up. See docs/rules.md, “Orders”."""

from decimal import Decimal

from relvan.core.money import round_half_up

TAX_PERCENT = {"standard": Decimal(20), "reduced": Decimal(10), "zero": Decimal(0)}


def tax_inside(gross: int, percent: Decimal) -> int:
    """The tax inside a gross amount, in minor units: `gross - round(gross / (1 + r))`.

    >>> tax_inside(2400, Decimal(20))
    400
    """
    return gross - round_half_up(Decimal(gross) / (1 + percent / 100))
