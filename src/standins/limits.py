"""What both parcel carriers look at: how large a parcel is, when it is collected, and whether it is declared
to customs."""

from collections.abc import Sequence
from datetime import date, datetime, timedelta

UNION = frozenset(
    [
        "AT", "BE", "BG", "CY", "CZ", "DE", "DK", "EE", "ES", "FI", "FR", "GR", "HR", "HU",
        "IE", "IT", "LT", "LU", "LV", "MT", "NL", "PL", "PT", "RO", "SE", "SI", "SK",
    ]
)  # fmt: skip  # the members of the European Union, which trade without customs
HOME = "IE"
SUNDAY = 6


def longest_side(sides: Sequence[float]) -> float:
    """Returns the longest side, or 0 where none is given."""
    return max(sides, default=0)


def girth(sides: Sequence[float]) -> float:
    """Returns the longest side and what goes around the two others."""
    ordered = sorted(sides, reverse=True)
    return ordered[0] + 2 * sum(ordered[1:]) if ordered else 0


def collected_on(told: str, now: datetime) -> date:
    """Returns the day on which a parcel is collected: the one that was told, not before today."""
    try:
        return max(date.fromisoformat(told), now.date())
    except ValueError:
        return now.date()


def arrives_on(collected: date, days: int) -> date:
    """Returns the day of arrival; nothing arrives on a Sunday."""
    there = collected + timedelta(days=days)
    return there + timedelta(days=1) if there.weekday() == SUNDAY else there


def is_abroad(country: str) -> bool:
    """Says whether a parcel to a country is declared to customs."""
    return country not in UNION


def starts_with_any(postcode: str, beginnings: Sequence[str]) -> bool:
    """Says whether a postcode begins in one of some ways, whatever its spaces."""
    plain = "".join(str(postcode).upper().split())
    return any(plain.startswith(one) for one in beginnings)
