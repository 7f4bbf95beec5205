"""Works out when a product runs out at its present rate of sale."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta

MOST_DAYS = 3650


@dataclass(frozen=True)
class Outlook:
    """The free units, the units sold a day (of the last 28 days), the units that are expected, and
    the days until it runs out without them; None when nothing sells or the stock lasts for years.
    """

    free: int
    sold_a_day: float
    coming: int
    days_left: int | None

    def runs_out_on(self, now: datetime) -> date | None:
        """Returns the day on which the last unit is sold."""
        return None if self.days_left is None else (now + timedelta(days=self.days_left)).date()


def outlook(free: int, sold_a_minute: float, coming: int = 0) -> Outlook:
    """Returns how long stock lasts.

    >>> outlook(10, 1 / 1440).days_left, outlook(0, 1 / 1440).days_left, outlook(10, 0).days_left
    (10, 0, None)
    """
    sold_a_day = sold_a_minute * 1440
    days = None if sold_a_day <= 0 else int(free / sold_a_day)
    return Outlook(
        free, sold_a_day, coming, days if days is not None and days <= MOST_DAYS else None
    )
