"""The first steps of a firm: what is needed before the first sale, in an order that works."""

from collections.abc import Collection
from dataclasses import dataclass
from enum import StrEnum


class FirstStep(StrEnum):
    """One thing to set up."""

    FIRM = "firm"
    WAREHOUSE = "warehouse"
    PRICE_LIST = "price-list"
    CHANNEL = "channel"
    PRODUCTS = "products"
    STOCK = "stock"
    CARRIER = "carrier"


@dataclass(frozen=True)
class StepWords:
    """How a step is called, and why it is needed."""

    name: str
    why: str


STEPS = {
    FirstStep.FIRM: StepWords(
        "Describe the firm", "Papers and labels say who sends them, and amounts need a currency."
    ),
    FirstStep.WAREHOUSE: StepWords(
        "Add a warehouse", "Stock lies in its bins, and parcels leave from its address."
    ),
    FirstStep.PRICE_LIST: StepWords(
        "Add a price list", "Every channel works out its prices from one."
    ),
    FirstStep.CHANNEL: StepWords(
        "Connect a channel", "Listings, prices and stock go there, and orders come from there."
    ),
    FirstStep.PRODUCTS: StepWords(
        "Bring in products", "From a file, one by one, or of what you list already: move in."
    ),
    FirstStep.STOCK: StepWords("Say what is on hand", "A channel shows no more than there is."),
    FirstStep.CARRIER: StepWords(
        "Connect a carrier", "Labels are bought from it, and it gives the tracking numbers."
    ),
}


@dataclass(frozen=True)
class StepState:
    """A step with whether it is done, which follows from what is there, or was skipped."""

    step: FirstStep
    words: StepWords
    done: bool
    skipped: bool

    @property
    def is_open(self) -> bool:
        """Says whether the step still waits for somebody."""
        return not self.done and not self.skipped


def first_steps(done: Collection[FirstStep], skipped: Collection[str]) -> list[StepState]:
    """Returns all steps in order. A step that is done counts as done, also if it was skipped."""
    return [
        StepState(step, words, step in done, step not in done and step in skipped)
        for step, words in STEPS.items()
    ]
