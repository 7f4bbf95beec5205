"""Sale prices: lower prices for a time, in windows that open and close without anybody doing it.
See docs/rules.md, “Prices”."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from relvan.core.money import MOST_MINOR
from relvan.core.refusal import Refusal


class SaleState(StrEnum):
    """Whether the window of a sale price is still to come, is open, or is over."""

    PLANNED = "planned"
    RUNNING = "running"
    OVER = "over"


@dataclass(frozen=True)
class SalePrice:
    """A price on a list in minor units, from a moment (included) until another (excluded)."""

    amount: int
    since: datetime
    until: datetime

    def holds_at(self, now: datetime) -> bool:
        """Says whether its window is open at a moment."""
        return self.since <= now < self.until

    @property
    def words(self) -> str:
        """Its window in words."""
        return f"from {self.since:%Y-%m-%d %H:%M} until {self.until:%Y-%m-%d %H:%M} UTC"


SALE_OF = "sale price "  # and the key of the list: under this name the history has sale prices


def kept_sale(sale: SalePrice) -> dict[str, object]:
    """Returns a sale price as the history keeps it: the amount in minor units of its list, and its
    window in UTC (ISO 8601).
    """
    return {
        "amount": sale.amount,
        "since": sale.since.isoformat(),
        "until": sale.until.isoformat(),
    }


def sale_at(sales: Iterable[SalePrice], now: datetime) -> SalePrice | None:
    """Returns the sale price that is valid at a moment. Where several windows are open the lowest
    price counts, and of equal prices the one that ends last."""
    holding = [sale for sale in sales if sale.holds_at(now)]
    return min(holding, key=lambda sale: (sale.amount, -sale.until.timestamp()), default=None)


def check_sale(
    sale: SalePrice, regular: int | None, others: Sequence[SalePrice], now: datetime
) -> list[Refusal]:
    """Checks a sale price: it is above 0 and below the regular price of its list; its window ends
    after it starts, is not over yet, and does not overlap another window of the same product and
    list."""
    found = []
    if not 0 < sale.amount <= MOST_MINOR:
        found.append(
            Refusal("out-of-range", "“Sale price” must be above 0.", "Type an amount.", "amount")
        )
    if regular is None:
        message = (
            "The product has no regular price on this list that a sale price could be lower than."
        )
        found.append(Refusal("no-price", message, "Give it a list price first.", "amount"))
    elif sale.amount >= regular:
        message = "“Sale price” must be lower than the regular one."
        found.append(Refusal("out-of-range", message, "Type a lower amount.", "amount"))
    if sale.until <= sale.since:
        found.append(
            Refusal(
                "out-of-range",
                "“Until” must be later than “from”.",
                "Choose a later time.",
                "until",
            )
        )
    elif sale.until <= now:
        found.append(
            Refusal("out-of-range", "The window is over already.", "Choose a later time.", "until")
        )
    clash = next((one for one in others if one.since < sale.until and sale.since < one.until), None)
    if clash is not None:
        message = f"There is a sale price {clash.words} already."
        found.append(
            Refusal("taken", message, "End that one first, or choose other times.", "since")
        )
    return found
