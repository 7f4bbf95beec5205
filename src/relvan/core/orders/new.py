"""New orders with their lines and payments, as they are written, from wherever they come."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from relvan.core.orders.intake import Address
from relvan.core.orders.trays import Tray


@dataclass(frozen=True)
class LineToAdd:
    """A line of an order that is to be written, with the columns of its row and the `kind` of its
    product, empty while that is unknown. The parts of a kit are added when it is written."""

    sku: str
    title: str
    quantity: int
    unit_price: int
    tax: int
    tax_code: str
    tax_percent: str
    product_id: int | None = None
    kind: str = ""
    is_free: bool = False
    channel_line: str = ""
    listing_ref: str = ""
    discount: int = 0
    tax_worked: int | None = None
    cost: int | None = None
    price_why: list[Any] | None = None


def usual_method(channel_id: int | None) -> str:
    """Returns the method of a payment of which nobody has said it: the channel took it for an order of
    its own, and for others it was made in some other way."""
    return "channel" if channel_id is not None else "other"


@dataclass(frozen=True)
class FirstPayment:
    """A payment that comes with an order; its amount is in minor units of the order's currency."""

    amount: int
    method: str
    day: date
    state: str = "firm"
    note: str = ""
    key: str | None = None


@dataclass(frozen=True)
class OrderToAdd:
    """An order that is to be written, with the columns of its row, and what its log says of how it
    came. `paid` is what counts as paid of it."""

    ship_to: Address
    currency: str
    total: int
    units: int
    placed_at: datetime
    tax_kind: str
    lines: Sequence[LineToAdd]
    deed: str
    paid: int = 0
    tray: str = Tray.INBOX
    payment: FirstPayment | None = None
    deed_changes: Mapping[str, tuple[Any, Any]] = field(default_factory=dict)
    channel_id: int | None = None
    channel_number: str | None = None
    channel_mark: int = 0
    cancelled_at: datetime | None = None
    customer_id: int | None = None
    bill_to: dict[str, Any] | None = None
    tax_number: str = ""
    with_tax: bool = True
    delivery_price: int = 0
    promised_on: str | None = None
    reference: str = ""
    salesperson_id: int | None = None
    warehouse_id: int | None = None
    overridden: Mapping[str, str] = field(default_factory=dict)
