"""Figures of the dispatch: how fast and how surely is picked, and what carriage costs beside what customers
paid for delivery."""

from collections.abc import Sequence
from dataclasses import dataclass

DAYS = 28
LEAST_S = 60.0  # of a round: a list of one pick begins and ends in the same moment


@dataclass(frozen=True)
class RoundFacts:
    """A round of somebody: its picks, how many of them were short, and the seconds from the first pick to
    the last."""

    person: str
    picks: int
    short: int
    seconds: float


@dataclass(frozen=True)
class PickerFigures:
    """What somebody picked: rounds, lines, lines an hour, short picks and wrong scans."""

    person: str
    rounds: int
    lines: int
    an_hour: float
    short: int
    wrong: int


def figures_of_pickers(rounds: Sequence[RoundFacts], wrong: dict[str, int]) -> list[PickerFigures]:
    """Returns the figures of everybody who picked, the most lines first.

    >>> figures_of_pickers([RoundFacts("Noor", 30, 1, 1800.0)], {"Noor": 2})[0].an_hour
    60.0
    """
    found = []
    for person in sorted({one.person for one in rounds} | set(wrong)):
        own = [one for one in rounds if one.person == person]
        lines = sum(one.picks for one in own)
        hours = sum(max(LEAST_S, one.seconds) for one in own) / 3600
        found.append(
            PickerFigures(
                person,
                len(own),
                lines,
                round(lines / hours, 1) if hours else 0.0,
                sum(one.short for one in own),
                wrong.get(person, 0),
            )
        )
    return sorted(found, key=lambda one: (-one.lines, one.person))


@dataclass(frozen=True)
class CarriageFigures:
    """What a carrier was paid for the orders that left with it, and what their customers paid for
    delivery, in minor units of a currency. `paid` is what was quoted, and `billed` what carriers' bills
    say where there is one, else what was quoted."""

    carrier: str
    orders: int
    parcels: int
    paid: int
    charged: int
    currency: str
    billed: int = 0

    @property
    def an_order(self) -> int:
        """What carriage costs for one order."""
        return round(self.paid / self.orders) if self.orders else 0

    @property
    def more(self) -> int:
        """What carriers charged beyond what they quoted."""
        return self.billed - self.paid

    @property
    def left(self) -> int:
        """What customers paid beyond the carriage; below zero where it was less."""
        return self.charged - self.paid


@dataclass(frozen=True)
class CartonFigures:
    """Parcels in a carton, the units in them, and their goods and the cartons in cubic millimetres."""

    carton: str
    parcels: int
    units: int
    goods_mm3: int
    carton_mm3: int

    @property
    def fill(self) -> float:
        """The share of the cartons that goods fill, from 0 to 1.

        >>> CartonFigures("M", 2, 6, 9_000_000, 24_000_000).fill
        0.375
        """
        return self.goods_mm3 / self.carton_mm3 if self.carton_mm3 else 0.0
