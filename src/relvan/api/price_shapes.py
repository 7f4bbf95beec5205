"""Defines foreseen prices as JSON, and the settings that may be tried though they are not ours to
set.
"""

from dataclasses import asdict
from typing import Any

from pydantic import Field

from relvan.api.shapes import ChannelChange, Shape
from relvan.core.listings.rulebook import OtherFees
from relvan.services.prices.foresee import PriceForesight


class TriedRate(Shape):
    """Says that one unit of `source` would be worth `rate` (decimal text) of `target`."""

    source: str = Field(max_length=3)
    target: str = Field(max_length=3)
    rate: str = Field(max_length=40)


class ChannelTrial(ChannelChange):
    """Settings of a channel that are only tried, with fees (minor units, percent) and rates that
    may change.
    """

    fees: OtherFees | None = None
    rates: list[TriedRate] = Field(default_factory=list, max_length=20)


def foresight_shape(found: PriceForesight) -> dict[str, Any]:
    """Returns how many prices would change, and some of them."""
    return {
        "listings": found.listings,
        "up": found.up,
        "down": found.down,
        "floored": found.floored,
        "none": found.none,
        "reasons": found.reasons,
        "samples": [asdict(sample) for sample in found.samples],
    }
