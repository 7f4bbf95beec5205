"""Says price steps in words, such as “list price + 8 %, ending in 99”."""

from collections.abc import Sequence

from relvan.core.money import as_decimal
from relvan.core.prices.steps import (
    AmountStep,
    ConvertStep,
    CoverFeesStep,
    EndingStep,
    PercentStep,
    PriceStep,
)

_WAYS = {"nearest": "ending in", "up": "rounded up to end in", "down": "rounded down to end in"}


def told_steps(steps: Sequence[PriceStep], currency: str) -> str:
    """Returns in words how a price follows from the list price; `currency` is that of the list.

    >>> from decimal import Decimal
    >>> told_steps([PercentStep(Decimal("8.0")), EndingStep((99,))], "EUR")
    'list price + 8 %, ending in 99'
    >>> told_steps([], "EUR")
    'list price'
    """
    words = "list price"
    for step in steps:
        if isinstance(step, PercentStep):
            words += f" {_signed(step.percent < 0)} {abs(step.percent).normalize():f} %"
        elif isinstance(step, AmountStep):
            amount = as_decimal(abs(step.amount), currency)
            words += f" {_signed(step.amount < 0)} {amount} {currency}"
        elif isinstance(step, ConvertStep):
            currency = step.currency
            words += f" in {currency}"
        elif isinstance(step, CoverFeesStep):
            words += " with the fees on top"
        elif isinstance(step, EndingStep):
            endings = " or ".join(f"{ending:02d}" for ending in step.endings)
            words += f", {_WAYS[step.direction]} {endings}"
    return words


def _signed(lower: bool) -> str:
    return "-" if lower else "+"
