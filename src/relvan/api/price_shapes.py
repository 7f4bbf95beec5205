"""Defines foreseen prices as JSON, and the settings that may be tried though they are not ours to
set.
"""

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field, WithJsonSchema

from relvan.api.described import CurrencyCode, Flag, RateText
from relvan.api.shapes import ChannelChange, Shape
from relvan.core.listings.rulebook import OtherFees
from relvan.services.prices.foresee import PriceForesight


class TriedRate(Shape):
    """Says that one unit of `source` would be worth `rate` (decimal text) of `target`."""

    source: CurrencyCode
    target: CurrencyCode
    rate: RateText


class ChannelTrial(ChannelChange):
    """Settings of a channel that are only tried, with fees (minor units, percent) and rates that
    may change.
    """

    paused: Annotated[Flag | None, WithJsonSchema({"type": "null"})] = None
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
