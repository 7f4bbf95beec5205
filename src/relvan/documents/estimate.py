"""Makes the paper of an estimate."""

from dataclasses import dataclass
from typing import Any

from relvan.documents.invoice import InvoiceStyle
from relvan.documents.paper import paper


@dataclass(frozen=True)
class EstimateLine:
    """A line of an estimate; amounts are in minor units."""

    sku: str
    title: str
    quantity: int
    unit_price: int
    discount: int

    @property
    def amount(self) -> int:
        """What the line comes to."""
        return self.unit_price * self.quantity - self.discount


@dataclass(frozen=True)
class EstimatePaper:
    """What an estimate says: who makes it for whom, its lines, and until when it holds. Addresses are
    plain data; days are given as ISO 8601."""

    number: str
    made_on: str
    last_day: str
    currency: str
    seller: dict[str, Any]
    buyer: dict[str, Any]
    lines: list[EstimateLine]
    delivery: int
    total: int
    with_tax: bool
    link: str


def estimate_pdf(estimate: EstimatePaper, style: InvoiceStyle) -> bytes:
    """Returns the estimate as PDF, A4 of one page or more, with its number as a barcode."""
    return paper("estimate.html", estimate=estimate, style=style)
