"""Draws the history of a price: for each channel a line that steps where another price was
accepted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

WIDE, HIGH = 1000.0, 200.0


@dataclass(frozen=True)
class PriceLine:
    """The line of one channel: points from left to right in a field of 1000 by 200, and the last
    price in minor units."""

    name: str
    points: tuple[tuple[float, float], ...]
    last: int

    @property
    def path(self) -> str:
        """The line as an SVG path of horizontal and vertical strokes."""
        (x, y), *rest = self.points
        return f"M{x:.1f} {y:.1f}" + "".join(f"H{right:.1f}V{down:.1f}" for right, down in rest)


@dataclass(frozen=True)
class Chart:
    """The lines of all channels, between two prices (minor units) and two moments."""

    lines: tuple[PriceLine, ...]
    lowest: int
    highest: int
    since: datetime
    until: datetime


def price_chart(
    sent: Mapping[str, Sequence[tuple[datetime, int]]], until: datetime
) -> Chart | None:
    """Returns the chart of the prices sent, by channel and in the order of time; None when nothing
    was sent."""
    told = {name: rows for name, rows in sent.items() if rows}
    if not told:
        return None
    since = min(rows[0][0] for rows in told.values())
    amounts = [amount for rows in told.values() for _, amount in rows]
    lowest, highest = min(amounts), max(amounts)
    span = max((until - since).total_seconds(), 1.0)
    tall = max(highest - lowest, 1)

    def place(at: datetime, amount: int) -> tuple[float, float]:
        across = (at - since).total_seconds() / span * WIDE
        return max(0.0, min(WIDE, across)), HIGH - (amount - lowest) / tall * HIGH

    lines = []
    for name, rows in told.items():
        points = [place(at, amount) for at, amount in rows]
        points.append((WIDE, points[-1][1]))
        lines.append(PriceLine(name, tuple(points), rows[-1][1]))
    return Chart(tuple(lines), lowest, highest, since, until)
