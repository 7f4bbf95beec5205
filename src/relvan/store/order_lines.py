"""Queries over order lines and their reservations, for the actions on orders."""

from collections.abc import Collection, Sequence
from datetime import date

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.tables import (
    ExpectedReceipt,
    Finding,
    Listing,
    Order,
    OrderLine,
    Product,
    Reservation,
)


def unlinked_lines(session: Session, sku: str) -> list[OrderLine]:
    """Returns the order lines with a SKU, without regard to case, that are not linked to a product."""
    if not sku.strip():
        return []
    unlinked = OrderLine.product_id.is_(None) & OrderLine.is_free.is_(False)
    wanted = (unlinked, func.lower(OrderLine.sku) == sku.lower())
    return list(session.scalars(select(OrderLine).where(*wanted)))


def orders_by_id(session: Session, order_ids: Collection[int]) -> list[Order]:
    """Returns orders by their ids."""
    return list(session.scalars(select(Order).where(among(Order.id, order_ids)).order_by(Order.id)))


def marks_of_orders(session: Session, channel_id: int, numbers: Sequence[str]) -> dict[str, int]:
    """Returns the mark of newness of the orders of a channel that were taken before, by the
    channel's numbers.
    """
    rows = bare_rows(session, *_marks_by_number(channel_id, numbers)).all()
    return {number: mark for number, mark in rows if number is not None}


@built_once
def _marks_by_number(channel_id: int, numbers: Collection[str]) -> Select[str | None, int]:
    wanted = (Order.channel_id == channel_id, among(Order.channel_number, numbers))
    return select(Order.channel_number, Order.channel_mark).where(*wanted)


def products_by_ref(
    session: Session, channel_id: int, refs: Collection[str]
) -> dict[str, tuple[int, str, str]]:
    """Returns (id, kind, tax code) of the products of listings, by the channel's references."""
    rows = bare_rows(session, *_goods_of_listings(channel_id, refs)).all()
    return {ref: (product_id, kind, tax_code) for ref, product_id, kind, tax_code in rows}


@built_once
def _goods_of_listings(channel_id: int, refs: Collection[str]) -> Select[str, int, str, str]:
    goods = select(Listing.ref, Product.id, Product.kind, Product.tax_code)
    goods = goods.join(Product, Product.id == Listing.product_id)
    return goods.where(Listing.channel_id == channel_id, among(Listing.ref, refs))


def reservation_at(session: Session, order_line_id: int, warehouse_id: int) -> Reservation | None:
    """Returns the reservation of an order line in a warehouse, or None."""
    wanted = (Reservation.order_line_id == order_line_id, Reservation.warehouse_id == warehouse_id)
    return session.scalar(select(Reservation).where(*wanted))


def products_for_sale(session: Session, product_ids: Collection[int]) -> dict[int, Product]:
    """Returns products by their ids."""
    wanted = select(Product).where(among(Product.id, product_ids))
    return {product.id: product for product in session.scalars(wanted)}


def expected_days(session: Session, product_ids: Collection[int]) -> dict[int, date]:
    """Returns the first day on which more of each product is expected."""
    wanted = (
        select(ExpectedReceipt.product_id, func.min(ExpectedReceipt.due))
        .where(among(ExpectedReceipt.product_id, product_ids), ExpectedReceipt.ended_at.is_(None))
        .group_by(ExpectedReceipt.product_id)
    )
    return {
        product_id: date.fromisoformat(str(due)[:10]) for product_id, due in session.execute(wanted)
    }


def unlinked_of_listing(session: Session, channel_id: int, ref: str) -> list[OrderLine]:
    """Returns the order lines that were bought by a listing of a channel and are not linked to a
    product."""
    wanted = (
        select(OrderLine)
        .join(Order, Order.id == OrderLine.order_id)
        .where(
            OrderLine.product_id.is_(None),
            OrderLine.is_free.is_(False),
            OrderLine.listing_ref == ref,
            Order.channel_id == channel_id,
        )
    )
    return list(session.scalars(wanted)) if ref else []


def open_findings_of(session: Session, lines: Collection[OrderLine]) -> list[int]:
    """Returns the unlinked listings by which lines were bought."""
    refs = {line.listing_ref for line in lines} - {""}
    orders = {line.order_id for line in lines}
    channels = select(Order.channel_id).where(among(Order.id, orders))
    wanted = select(Finding.id).where(
        Finding.listing_id.is_(None), Finding.channel_id.in_(channels), among(Finding.ref, refs)
    )
    return list(session.scalars(wanted)) if refs else []
