"""What other prices are foreseen to be, as JSON; and what may be tried that is not ours to set."""

from dataclasses import asdict
from typing import Any

from pydantic import Field

from relvan.api.shapes import ChannelChange, Shape
from relvan.core.listings.rulebook import OtherFees
from relvan.services.prices.foresee import PriceForesight


class TriedRate(Shape):
    """One of `source` would be `rate` (decimal text) of `target`."""

    source: str = Field(max_length=3)
    target: str = Field(max_length=3)
    rate: str = Field(max_length=40)


class ChannelTrial(ChannelChange):
    """Settings of a channel that are only tried; and fees (minor units, percent) and rates that may
    become others."""

    fees: OtherFees | None = None
    rates: list[TriedRate] = Field(default_factory=list, max_length=20)


def foresight_shape(found: PriceForesight) -> dict[str, Any]:
    """How many prices would be another, and some of them."""
    return {
        "listings": found.listings,
        "up": found.up,
        "down": found.down,
        "floored": found.floored,
        "none": found.none,
        "reasons": found.reasons,
        "samples": [asdict(sample) for sample in found.samples],
    }
