"""What runs out when, at the present rate of sale; and what has not moved."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta

MOST_DAYS = 3650


@dataclass(frozen=True)
class Outlook:
    """Units free, sold a day (of the last 28 days), units coming; when it runs out, in days from now, without what is
    coming; none when nothing sells or it lasts for years."""

    free: int
    sold_a_day: float
    coming: int
    days_left: int | None

    def runs_out_on(self, now: datetime) -> date | None:
        """The day on which the last one goes."""
        return None if self.days_left is None else (now + timedelta(days=self.days_left)).date()


def outlook(free: int, sold_a_minute: float, coming: int = 0) -> Outlook:
    """How long stock lasts.

    >>> outlook(10, 1 / 1440).days_left, outlook(0, 1 / 1440).days_left, outlook(10, 0).days_left
    (10, 0, None)
    """
    sold_a_day = sold_a_minute * 1440
    days = None if sold_a_day <= 0 else int(free / sold_a_day)
    return Outlook(free, sold_a_day, coming, days if days is not None and days <= MOST_DAYS else None)
