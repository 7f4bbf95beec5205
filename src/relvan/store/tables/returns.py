"""Tables of returns: goods that come back from a customer."""

from datetime import datetime

from sqlalchemy import CheckConstraint, ForeignKey, Index
from sqlalchemy.orm import Mapped, mapped_column

from relvan.store.tables.base import Table, strict


class OrderReturn(Table):
    """Goods of an order that come back, for a reason. `refunded` is what was given back for them in
    minor units of the order's currency, and `credit_note` the number of the note over it.
    `received_key` is the key under which goods of it were received last.
    """

    __tablename__ = "order_return"
    __table_args__ = strict(
        CheckConstraint("state IN ('expected', 'received', 'refunded', 'cancelled')", name="state"),
        Index("ix_order_return_order_id", "order_id"),
        Index("ix_order_return_state", "state", "id"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[str] = mapped_column(unique=True)
    order_id: Mapped[int] = mapped_column(ForeignKey("customer_order.id"))
    state: Mapped[str]
    reason: Mapped[str]
    refunded: Mapped[int] = mapped_column(default=0, server_default="0")
    credit_note: Mapped[str] = mapped_column(default="", server_default="")
    received_key: Mapped[str] = mapped_column(default="", server_default="")
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class ReturnLine(Table):
    """Units of an order line that are expected back, and where those went that came: into stock, into
    blocked stock, or written off.
    """

    __tablename__ = "return_line"
    __table_args__ = strict(
        CheckConstraint("quantity > 0", name="quantity"),
        Index("ix_return_line_order_line_id", "order_line_id"),
    )
    return_id: Mapped[int] = mapped_column(ForeignKey("order_return.id"), primary_key=True)
    order_line_id: Mapped[int] = mapped_column(ForeignKey("order_line.id"), primary_key=True)
    quantity: Mapped[int]
    to_stock: Mapped[int] = mapped_column(default=0)
    to_blocked: Mapped[int] = mapped_column(default=0)
    written_off: Mapped[int] = mapped_column(default=0)

    @property
    def received(self) -> int:
        """The units that came back."""
        return self.to_stock + self.to_blocked + self.written_off
