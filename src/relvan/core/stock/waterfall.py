"""Why so many are free, drawn: from what is on hand, step by step down to what a channel shows."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.stock.availability import Balance, Shown


@dataclass(frozen=True)
class Fall:
    """One bar: from `top` down to `bottom`, in units; a `sum` stands on the ground."""

    label: str
    top: int
    bottom: int
    sum: bool = False

    @property
    def units(self) -> int:
        """What it says: the sum, or what was taken away."""
        return self.top - self.bottom


def waterfall(balances: Sequence[Balance], shown: Shown | None = None) -> tuple[Fall, ...]:
    """On hand, less what is reserved, blocked and kept safe, is free; less what a channel keeps back, is shown. What a
    warehouse lacks is not made good by another: that is a bar of its own, going up.

    >>> [(fall.label, fall.units) for fall in waterfall([Balance("Mill", 14, 3, 0, 2), Balance("Yard", 6, 0, 1)])]
    [('On hand', 20), ('Reserved', 3), ('Blocked', 1), ('Safety', 2), ('Free', 14)]
    """
    level = sum(balance.on_hand for balance in balances)
    falls = [Fall("On hand", level, 0, sum=True)]
    for label in ("reserved", "blocked", "safety"):
        taken = sum(getattr(balance, label) for balance in balances)
        if taken:
            falls.append(Fall(label.capitalize(), level, level - taken))
            level -= taken
    free = sum(balance.free for balance in balances)
    if free != level:
        falls.append(Fall("Lacking elsewhere", level, free))
    falls.append(Fall("Free", free, 0, sum=True))
    if shown is not None:
        if shown.quantity != shown.free:
            falls.append(Fall("Kept back", shown.free, shown.quantity))
        falls.append(Fall("Shown", shown.quantity, 0, sum=True))
    return tuple(falls)
