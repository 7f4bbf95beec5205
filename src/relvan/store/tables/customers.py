"""Tables of customers, their addresses and their own prices, and of estimates made for them."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict
from relvan.store.types import Folded


class Customer(Table):
    """Somebody who buys. `price_list_id` is the list whose prices hold for them; `merged_into_id` names
    the customer with whom a double was merged. One that was forgotten keeps its number, which the
    books name, and nothing else.
    """

    __tablename__ = "customer"
    __table_args__ = strict(
        Index(
            "uq_customer_mail",
            "mail",
            unique=True,
            sqlite_where=text("mail <> '' AND merged_into_id IS NULL"),
            postgresql_where=text("mail <> '' AND merged_into_id IS NULL"),
        ),
        Index("ix_customer_name", "name", "id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(Folded(), unique=True)
    name: Mapped[str] = mapped_column(Folded())
    mail: Mapped[str] = mapped_column(Folded(), default="", server_default="")
    phone: Mapped[str] = mapped_column(default="", server_default="")
    tax_number: Mapped[str] = mapped_column(default="", server_default="")
    price_list_id: Mapped[int | None] = mapped_column(ForeignKey("price_list.id"))
    bill_to: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    notes: Mapped[str] = mapped_column(default="", server_default="")
    made_at: Mapped[datetime]
    forgotten_at: Mapped[datetime | None]
    merged_into_id: Mapped[int | None] = mapped_column(ForeignKey("customer.id"))


class CustomerAddress(Table):
    """An address to which goods of a customer go."""

    __tablename__ = "customer_address"
    __table_args__ = strict(Index("ix_customer_address_customer_id", "customer_id"))
    id: Mapped[int] = mapped_column(primary_key=True)
    customer_id: Mapped[int] = mapped_column(ForeignKey("customer.id"))
    address: Mapped[dict[str, Any]]


class CustomerPrice(Table):
    """A customer's own price of a product, in minor units of a currency, with tax inside or without."""

    __tablename__ = "customer_price"
    __table_args__ = strict(
        CheckConstraint("amount > 0", name="amount"),
        Index("ix_customer_price_product_id", "product_id"),
    )
    customer_id: Mapped[int] = mapped_column(ForeignKey("customer.id"), primary_key=True)
    product_id: Mapped[int] = mapped_column(
        ForeignKey("product.id", ondelete="CASCADE"), primary_key=True
    )
    currency: Mapped[str] = mapped_column(primary_key=True)
    amount: Mapped[int]
    with_tax: Mapped[bool]


class Estimate(Table):
    """An order that a customer has not accepted yet: what a person entered (`draft`, as
    `core/orders/draft.py` reads it), its total in minor units, and its last day (ISO 8601). `secret`
    opens its page for the customer.
    """

    __tablename__ = "estimate"
    __table_args__ = strict(
        CheckConstraint("state IN ('open', 'accepted', 'cancelled')", name="state"),
        Index("ix_estimate_customer_id", "customer_id"),
        Index("ix_estimate_state", "state", "id"),
        Index("ix_estimate_secret", "secret"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(Folded(), unique=True)
    customer_id: Mapped[int] = mapped_column(ForeignKey("customer.id"))
    draft: Mapped[dict[str, Any]]
    currency: Mapped[str]
    total: Mapped[int]
    last_day: Mapped[str]
    state: Mapped[str]
    secret: Mapped[str] = mapped_column(default="", server_default="")
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
