"""Queries over invoices, credit notes and payments."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import ColumnElement, Select, case, func, or_, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.counting import Count, count_up_to
from relvan.store.rows import rows_as
from relvan.store.sorting import Sorting, sort_page
from relvan.store.tables import (
    Channel,
    InvoiceLineRow,
    InvoiceRow,
    Order,
    PaymentRow,
    Shipment,
)

COUNTS = or_(PaymentRow.state == "firm", PaymentRow.released_at.is_not(None))


def invoice_by_number(session: Session, number: str) -> InvoiceRow:
    """Returns an invoice or credit note by its number."""
    row = session.scalar(select(InvoiceRow).where(InvoiceRow.number == number))
    if row is None:
        raise not_found("invoice", number)
    return row


def invoice_by_id(session: Session, invoice_id: int) -> InvoiceRow:
    """Returns the invoice with an id. The invoice must exist."""
    return session.get_one(InvoiceRow, invoice_id)


def invoices_of_order(session: Session, order_id: int) -> list[InvoiceRow]:
    """Returns the invoices and credit notes of an order, in the order in which they were issued."""
    wanted = select(InvoiceRow).where(InvoiceRow.order_id == order_id)
    return list(session.scalars(wanted.order_by(InvoiceRow.id)))


def lines_of_invoice(session: Session, invoice_id: int) -> list[InvoiceLineRow]:
    """Returns the lines of an invoice in their order."""
    wanted = select(InvoiceLineRow).where(InvoiceLineRow.invoice_id == invoice_id)
    return list(session.scalars(wanted.order_by(InvoiceLineRow.position)))


def credited_units(session: Session, invoice_id: int) -> dict[int, int]:
    """Returns how many units of each line of an invoice stand on credit notes, by the line's
    position on the invoice."""
    wanted = (
        select(InvoiceLineRow.position, func.sum(InvoiceLineRow.quantity))
        .join(InvoiceRow, InvoiceRow.id == InvoiceLineRow.invoice_id)
        .where(InvoiceRow.corrects_id == invoice_id)
        .group_by(InvoiceLineRow.position)
    )
    return dict(session.execute(wanted).all())


def credits_of(session: Session, invoice_id: int) -> list[InvoiceRow]:
    """Returns the credit notes that correct an invoice."""
    wanted = select(InvoiceRow).where(InvoiceRow.corrects_id == invoice_id)
    return list(session.scalars(wanted.order_by(InvoiceRow.id)))


def last_dispatch(session: Session, order_id: int) -> datetime | None:
    """Returns when the last shipment of an order left, or None."""
    wanted = select(Shipment.dispatched_at).where(
        Shipment.order_id == order_id, Shipment.dispatched_at.is_not(None)
    )
    return session.scalar(wanted.order_by(Shipment.dispatched_at.desc()).limit(1))


def payment_by_id(session: Session, payment_id: int) -> PaymentRow:
    """Returns a payment by its id."""
    row = session.get(PaymentRow, payment_id)
    if row is None:
        raise not_found("payment", payment_id)
    return row


def payment_by_key(session: Session, key: str) -> PaymentRow | None:
    """Returns the payment that somebody has told of by a key, or None."""
    return session.scalar(select(PaymentRow).where(PaymentRow.key == key))


def payments_of(session: Session, order_id: int) -> list[PaymentRow]:
    """Returns the payments of an order, in the order in which they were noted."""
    wanted = select(PaymentRow).where(PaymentRow.order_id == order_id)
    return list(session.scalars(wanted.order_by(PaymentRow.id)))


def payments_by_orders(session: Session, order_ids: Collection[int]) -> dict[int, list[PaymentRow]]:
    """Returns the payments of orders, by order."""
    found: dict[int, list[PaymentRow]] = defaultdict(list)
    for row in session.scalars(select(PaymentRow).where(among(PaymentRow.order_id, order_ids))):
        found[row.order_id].append(row)
    return found


def counted_payments(session: Session, order_ids: Collection[int]) -> dict[int, int]:
    """Returns the sum of the payments that count, by order, in minor units."""
    wanted = (
        select(PaymentRow.order_id, func.sum(PaymentRow.amount))
        .where(among(PaymentRow.order_id, order_ids), COUNTS)
        .group_by(PaymentRow.order_id)
    )
    found: dict[int, int] = defaultdict(int)
    for order_id, amount in session.execute(wanted):
        found[order_id] = int(amount)
    return found


def charged_by_invoices(session: Session, order_ids: Collection[int]) -> dict[int, int]:
    """Returns what the invoices of orders ask for less what credit notes gave back, by order, in minor
    units."""
    if not order_ids:
        return {}
    signed = case((InvoiceRow.kind == "credit", -InvoiceRow.payable), else_=InvoiceRow.payable)
    wanted = select(InvoiceRow.order_id, func.sum(signed))
    found = wanted.where(among(InvoiceRow.order_id, order_ids)).group_by(InvoiceRow.order_id)
    return {order_id: int(amount) for order_id, amount in session.execute(found)}


@dataclass(frozen=True)
class InvoiceFilter:
    """Says which invoices a page shows: words, the kind, a channel (`none` for orders taken by
    hand), from and until which day, and whether something of them is `owed` or they are `paid`."""

    words: str = ""
    kind: str = ""
    channel: str = ""
    since: date | None = None
    until: date | None = None
    owed: str = ""


@dataclass(frozen=True)
class InvoiceListRow:
    """An invoice as a list shows it; amounts are in minor units. `owed` is what its order still
    owes."""

    id: int
    number: str
    kind: str
    order: str
    customer: str
    channel: str | None
    currency: str
    issued_on: str
    due_on: str
    net: int
    tax: int
    payable: int
    owed: int


OWED = Order.total - Order.credited - Order.paid
INVOICE_SORTING = Sorting(
    {
        "issued": InvoiceRow.issued_on,
        "due": InvoiceRow.due_on,
        "customer": Order.customer,
        "payable": InvoiceRow.payable,
        "owed": OWED,
    },
    key=InvoiceRow.id,
    key_down=True,
    source=InvoiceRow.__table__.join(Order.__table__),
)


def _conditions(wanted: InvoiceFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if wanted.kind:
        found.append(InvoiceRow.kind == wanted.kind)
    if wanted.channel == "none":
        found.append(Order.channel_id.is_(None))
    elif wanted.channel:
        of_key = select(Channel.id).where(Channel.key == wanted.channel).scalar_subquery()
        found.append(Order.channel_id == of_key)
    if wanted.since:
        found.append(InvoiceRow.issued_on >= wanted.since.isoformat())
    if wanted.until:
        found.append(InvoiceRow.issued_on <= wanted.until.isoformat())
    if wanted.owed:
        owes = OWED > 0 if wanted.owed == "owed" else OWED <= 0
        found += [owes, InvoiceRow.kind == "invoice"]
    if wanted.words:
        text = wanted.words.strip().replace("%", "").replace("_", "")
        found.append(
            or_(
                InvoiceRow.number.like(f"{text}%"),
                Order.number.like(f"{text}%"),
                Order.channel_number.like(f"{text}%"),
                Order.customer.like(f"{text}%"),
            )
        )
    return found


def invoice_page(
    session: Session, wanted: InvoiceFilter, *, after: int = 0, limit: int = 50, sort: str = ""
) -> list[InvoiceListRow]:
    """Returns invoices, the newest first or sorted by a column of `INVOICE_SORTING`."""
    statement = (
        select(
            InvoiceRow.id,
            InvoiceRow.number,
            InvoiceRow.kind,
            Order.number,
            Order.customer,
            Channel.name,
            InvoiceRow.currency,
            InvoiceRow.issued_on,
            InvoiceRow.due_on,
            InvoiceRow.net,
            InvoiceRow.tax,
            InvoiceRow.payable,
            OWED,
        )
        .join(Order, Order.id == InvoiceRow.order_id)
        .outerjoin(Channel, Channel.id == Order.channel_id)
        .where(*_conditions(wanted))
    )
    page = sort_page(session, statement, INVOICE_SORTING, sort, after, limit)
    return rows_as(InvoiceListRow, session, page)


def count_invoices(session: Session, wanted: InvoiceFilter) -> Count:
    """Returns how many invoices a filter finds, counted up to 10,000."""
    found = select(InvoiceRow.id).join(Order, Order.id == InvoiceRow.order_id)
    return count_up_to(session, found.where(*_conditions(wanted)), ("invoices", wanted))


@dataclass(frozen=True)
class PaymentListRow:
    """A payment as a list shows it; the amount is in minor units."""

    id: int
    order: str
    customer: str
    amount: int
    currency: str
    method: str
    state: str
    day: str
    note: str
    released_at: datetime | None


def _payments() -> Select[int, str, str, int, str, str, str, str, str, datetime | None]:
    return select(
        PaymentRow.id,
        Order.number,
        Order.customer,
        PaymentRow.amount,
        Order.currency,
        PaymentRow.method,
        PaymentRow.state,
        PaymentRow.day,
        PaymentRow.note,
        PaymentRow.released_at,
    ).join(Order, Order.id == PaymentRow.order_id)


def payment_page(
    session: Session, *, waiting: bool = False, order_id: int = 0, after: int = 0, limit: int = 50
) -> list[PaymentListRow]:
    """Returns payments, the newest first; with `waiting` the provisional ones that are neither
    released nor void."""
    wanted = _payments()
    if waiting:
        wanted = wanted.where(PaymentRow.state == "provisional", PaymentRow.released_at.is_(None))
    if order_id:
        wanted = wanted.where(PaymentRow.order_id == order_id)
    if after:
        wanted = wanted.where(PaymentRow.id < after)
    return rows_as(PaymentListRow, session, wanted.order_by(PaymentRow.id.desc()).limit(limit))


@dataclass(frozen=True)
class JournalRow:
    """One entry of the journal of a day: an invoice by rate, or a payment. Amounts are in minor
    units; what is given back is negative."""

    day: str
    kind: str
    number: str
    order: str
    customer: str
    channel: str
    country: str
    tax_kind: str
    percent: str
    net: int
    tax: int
    rounding: int
    amount: int
    currency: str
    method: str


def journal_rows(session: Session, since: date, until: date) -> list[JournalRow]:
    """Returns the entries of the journal from one day to another, by day; of invoices one for each
    rate."""
    days = (since.isoformat(), until.isoformat())
    billed = (
        select(InvoiceRow, Order.number, Order.country, Channel.key)
        .join(Order, Order.id == InvoiceRow.order_id)
        .outerjoin(Channel, Channel.id == Order.channel_id)
        .where(InvoiceRow.issued_on.between(*days))
        .order_by(InvoiceRow.issued_on, InvoiceRow.id)
    )
    found: list[JournalRow] = []
    for row, order, country, channel in session.execute(billed):
        found += _entries_of(row, order, country, channel or "")
    paid = (
        select(PaymentRow, Order.number, Order.customer, Order.currency, Order.country, Channel.key)
        .join(Order, Order.id == PaymentRow.order_id)
        .outerjoin(Channel, Channel.id == Order.channel_id)
        .where(PaymentRow.day.between(*days), COUNTS)
        .order_by(PaymentRow.day, PaymentRow.id)
    )
    for payment, order, customer, currency, country, channel in session.execute(paid):
        kind = "refund" if payment.amount < 0 else "payment"
        found.append(
            JournalRow(
                payment.day,
                kind,
                str(payment.id),
                order,
                customer,
                channel or "",
                country,
                "",
                "",
                0,
                0,
                0,
                payment.amount,
                currency,
                payment.method,
            )  # fmt: skip
        )
    return sorted(found, key=lambda entry: entry.day)


def _entries_of(row: InvoiceRow, order: str, country: str, channel: str) -> list[JournalRow]:
    sign = -1 if row.kind == "credit" else 1
    found = []
    for place, rate in enumerate(row.rates):
        last = place == len(row.rates) - 1
        rounding = (row.payable - row.total) if last else 0
        net, tax = rate["net"], rate["tax"]
        amount = net + tax + rounding
        found.append(
            JournalRow(
                row.issued_on,
                row.kind,
                row.number,
                order,
                row.buyer.get("name", ""),
                channel,
                country,
                row.tax_kind,
                rate["percent"],
                sign * net,
                sign * tax,
                sign * rounding,
                sign * amount,
                row.currency,
                "",
            )  # fmt: skip
        )
    return found
