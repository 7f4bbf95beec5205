"""Spreads an amount over lines, in minor units, so that nothing is lost to rounding."""

from collections.abc import Sequence


def spread(amount: int, over: Sequence[int]) -> list[int]:
    """Spreads an amount over weights by the largest remainder; the parts add up to it exactly. Of
    equal remainders the first line gets more. Over nothing but zeros, the first line gets all.

    >>> spread(1000, [1999, 501, 350])
    [701, 176, 123]
    """
    whole = sum(over)
    if not over:
        return []
    if whole <= 0:
        return [amount, *([0] * (len(over) - 1))]
    sign, size = (-1 if amount < 0 else 1), abs(amount)
    parts = [size * weight // whole for weight in over]
    by_remainder = sorted(range(len(over)), key=lambda at: (-(size * over[at] % whole), at))
    for at in by_remainder[: size - sum(parts)]:
        parts[at] += 1
    return [sign * part for part in parts]


def part_up_to(amount: int, units: int, whole: int) -> int:
    """Returns the share of an amount for the first units of a whole, so that the shares of any
    split into runs of units add up to the amount.

    >>> part_up_to(1000, 1, 3), part_up_to(1000, 3, 3)
    (333, 1000)
    """
    return amount * units // whole if whole else amount
