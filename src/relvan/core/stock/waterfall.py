"""The drawing of how *free* comes about: from what is on hand, step by step down to what a channel
shows."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.stock.availability import Shown, StockBalance


@dataclass(frozen=True)
class Fall:
    """One bar: it goes from `top` down to `bottom`, in units; a `sum` begins at 0."""

    label: str
    top: int
    bottom: int
    sum: bool = False

    @property
    def units(self) -> int:
        """The number that the bar says: the sum, or what was taken away."""
        return self.top - self.bottom


def waterfall(balances: Sequence[StockBalance], shown: Shown | None = None) -> tuple[Fall, ...]:
    """Returns the bars. What is on hand, less what is reserved, blocked and kept as safety stock,
    is free; less what the stock rule keeps back, it is shown. A lack in one warehouse is not made
    good by another: that is a bar of its own, which goes up.

    >>> lies = [StockBalance("Mill", 14, 3, 0, 2), StockBalance("Yard", 6, 0, 1)]
    >>> [(fall.label, fall.units) for fall in waterfall(lies)]
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
            falls.append(Fall("Stock rule", shown.free, shown.quantity))
        falls.append(Fall("Shown", shown.quantity, 0, sum=True))
    return tuple(falls)
