"""Serves invoices, credit notes, payments and the journal over HTTP."""

from datetime import date
from typing import Annotated, Any

from fastapi import Depends, Query
from fastapi.responses import Response
from pydantic import Field

from relvan.api.described import Flag, Id, described, described_number, described_text
from relvan.api.desk import (
    By,
    Caller,
    Cursor,
    DayOrNone,
    LayoutId,
    Limit,
    OneOf,
    YesOrNo,
    api_router,
    gives_file,
    page_of,
)
from relvan.api.shapes import Amount, OrderNumbers, Shape, amount_of, minor, verdicts_of
from relvan.core.people.roles import Right
from relvan.core.texts import SAYING
from relvan.documents.ubl import BilledLine, InvoicePaper, ubl_of
from relvan.services.orders.invoices import credit_invoice, invoice_lines, invoice_orders
from relvan.services.orders.journal import journal_csv
from relvan.services.orders.own_papers import printed_invoice
from relvan.services.orders.papers import invoice_paper
from relvan.services.orders.payments import (
    METHODS,
    MOST_NOTE,
    STATES,
    NewPayment,
    add_payment,
    release_payments,
    void_payment,
)
from relvan.store.invoices import (
    InvoiceFilter,
    PaymentListRow,
    credits_of,
    invoice_by_number,
    invoice_page,
    payment_page,
)
from relvan.store.orders import order_by_number

router = api_router(tags=["invoices"])
XML = "application/xml"


def invoices_asked(
    q: str = "",
    kind: Annotated[str, OneOf("kind", ("invoice", "credit"))] = "",
    channel: str = "",
    since: Annotated[DayOrNone, Query(alias="from")] = None,
    until: Annotated[DayOrNone, Query(alias="to")] = None,
    owed: YesOrNo = None,
) -> InvoiceFilter:
    """Returns the filter that the query of `GET /invoices` describes."""
    wanted = "" if owed is None else "owed" if owed else "paid"
    return InvoiceFilter(q, kind, channel, since, until, wanted)


Asked = Annotated[InvoiceFilter, Depends(invoices_asked)]


@router.get("/invoices")
def list_invoices(by: By, wanted: Asked, limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns invoices and credit notes, the newest first."""
    with by.workplace.database.reading() as session:
        found = invoice_page(session, wanted, after=after, limit=limit + 1)
    rows, following = page_of(found, limit, lambda row: row.id)
    items = [
        {
            "number": row.number,
            "kind": row.kind,
            "order": row.order,
            "customer": row.customer,
            "issued_on": row.issued_on,
            "due_on": row.due_on,
            "net": amount_of(row.net, row.currency),
            "tax": amount_of(row.tax, row.currency),
            "payable": amount_of(row.payable, row.currency),
            "owed": amount_of(row.owed, row.currency),
        }
        for row in rows
    ]
    return {"items": items, "next": following}


def _invoice_shape(by: Caller, number: str) -> dict[str, Any]:
    paper = invoice_paper(by.workplace, number)
    with by.workplace.database.reading() as session:
        credits = credits_of(session, invoice_by_number(session, number).id)
        corrected = [row.number for row in credits]
    money = {
        name: amount_of(getattr(paper, name), paper.currency)
        for name in ("net", "tax", "total", "rounding", "payable", "prepaid", "due")
    }
    return {
        "number": paper.number,
        "kind": paper.kind,
        "order": paper.order,
        "issued_on": paper.issued_on,
        "due_on": paper.due_on,
        "supplied_on": paper.supplied_on,
        "corrects": paper.corrects or None,
        "reason": paper.reason,
        "credit_notes": corrected,
        "seller": paper.seller,
        "buyer": paper.buyer,
        "lines": [_line(line, paper) for line in paper.lines],
        "charges": [_line(line, paper) for line in paper.charges],
        "rates": [
            {
                "percent": str(rate.percent),
                "category": rate.category,
                "net": amount_of(rate.net, paper.currency),
                "tax": amount_of(rate.tax, paper.currency),
            }
            for rate in paper.rates
        ],
        "totals": money,
        "words": paper.words,
    }


def _line(line: BilledLine, paper: InvoicePaper) -> dict[str, Any]:
    return {
        "position": line.position,
        "sku": line.sku,
        "title": line.title,
        "quantity": line.quantity,
        "price": amount_of(line.unit_price, paper.currency),
        "discount": amount_of(line.discount, paper.currency),
        "net": amount_of(line.net, paper.currency),
        "percent": str(line.percent),
    }


@router.get("/invoices/{number}.pdf", **gives_file("application/pdf"))
def get_invoice_pdf(by: By, number: str, hybrid: YesOrNo = None, layout: LayoutId = 0) -> Response:
    """Returns the paper, in the layout with an id where one is named; with `hybrid` as PDF/A-3 with the XML
    inside."""
    paper = invoice_paper(by.workplace, number)
    content = printed_invoice(by.workplace, paper, hybrid=bool(hybrid), layout=layout)
    return Response(content, media_type="application/pdf")


@router.get("/invoices/{number}.xml", **gives_file(XML))
def get_invoice_xml(by: By, number: str) -> Response:
    """Returns the invoice as UBL 2.1 that meets EN 16931."""
    return Response(ubl_of(invoice_paper(by.workplace, number)), media_type=XML)


@router.get("/invoices/{number}")
def get_invoice(by: By, number: str) -> dict[str, Any]:
    """Returns an invoice or credit note as it was issued."""
    return _invoice_shape(by, number)


class CreditedLine(Shape):
    """Units of a line of an invoice that are given back, by its position."""

    position: Annotated[int, described_number(1, 100_000)]
    quantity: Annotated[int, described_number(0, 1_000_000)]


class NewCredit(Shape):
    """Why an invoice is given back, and how much of it; all that is left without lines. With `again`
    these units are to be invoiced once more."""

    reason: Annotated[str, Field(max_length=2000), described_text(SAYING, 300)]
    lines: Annotated[list[CreditedLine], Field(max_length=1000)] | None = None
    again: Flag = False


@router.post("/invoices/{number}/credit", status_code=201)
def post_credit(by: By, number: str, wish: NewCredit) -> dict[str, Any]:
    """Issues a credit note over an invoice, or over a part of it."""
    units = None
    if wish.lines is not None:
        units = {line.position: line.quantity for line in wish.lines}
    made = credit_invoice(by.workplace, by.actor, number, wish.reason, units, again=wish.again)
    return _invoice_shape(by, made)


class InvoicedLine(Shape):
    """Units of a line of an order that are invoiced, by the line's id."""

    line: Id
    quantity: Annotated[int, described_number(0, 1_000_000)]


class OrdersInvoice(OrderNumbers):
    """Orders that are invoiced: all that is open of each, or with `shipped_only` what has been
    shipped; or some lines of one order."""

    shipped_only: Flag = False
    lines: Annotated[list[InvoicedLine], Field(max_length=1000)] | None = None


@router.post("/orders/invoice")
def post_orders_invoice(by: By, wish: OrdersInvoice) -> dict[str, Any]:
    """Issues an invoice for each order; a verdict per order, with the invoice's number as its
    message."""
    if wish.lines is not None and len(wish.numbers) == 1:
        units = {line.line: line.quantity for line in wish.lines}
        made = invoice_lines(by.workplace, by.actor, wish.numbers[0], units)
        return {
            "items": [
                {"number": wish.numbers[0], "ok": True, "code": "", "message": made, "fix": ""}
            ]
        }
    only = wish.shipped_only
    return verdicts_of(invoice_orders(by.workplace, by.actor, wish.numbers, shipped_only=only))


class NewPaymentShape(Shape):
    """A payment of an order; a negative amount is a refund. One with a `key` is noted once."""

    order: str
    amount: Amount
    method: Annotated[str, described(METHODS)] = "transfer"
    state: Annotated[str, described(STATES)] = "firm"
    day: date | None = None
    note: Annotated[str, Field(max_length=1000), described_text(".*", MOST_NOTE, least=0)] = ""
    key: Annotated[str, Field(max_length=100)] | None = None


@router.get("/payments")
def list_payments(
    by: By, waiting: YesOrNo = None, order: str = "", limit: Limit = 50, after: Cursor = 0
) -> dict[str, Any]:
    """Returns payments, the newest first; `waiting` are provisional ones that were not released."""
    with by.workplace.database.reading() as session:
        order_id = order_by_number(session, order).id if order else 0
        found = payment_page(
            session, waiting=bool(waiting), order_id=order_id, after=after, limit=limit + 1
        )
    rows, following = page_of(found, limit, lambda row: row.id)
    return {"items": [_payment_shape(row) for row in rows], "next": following}


def _payment_shape(row: PaymentListRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "order": row.order,
        "amount": amount_of(row.amount, row.currency),
        "method": row.method,
        "state": "released" if row.released_at else row.state,
        "day": row.day,
        "note": row.note,
    }


@router.post("/payments", status_code=201)
def post_payment(by: By, wish: NewPaymentShape) -> dict[str, Any]:
    """Notes a payment of an order, or a refund."""
    by.actor.must(Right.ORDERS)
    with by.workplace.database.reading() as session:
        order = order_by_number(session, wish.order)
        currency = order.currency
    told = NewPayment(
        wish.order,
        minor(wish.amount, currency, "amount"),
        wish.method,
        wish.state,
        wish.day,
        wish.note,
        wish.key,
    )
    payment_id = add_payment(by.workplace, by.actor, told)
    with by.workplace.database.reading() as session:
        rows = payment_page(session, order_id=order.id, limit=500)
    return next(_payment_shape(row) for row in rows if row.id == payment_id)


class PaymentIds(Shape):
    """Payments by their ids."""

    ids: list[Id] = Field(min_length=1, max_length=5_000)


@router.post("/payments/release")
def post_payments_release(by: By, wish: PaymentIds) -> dict[str, Any]:
    """Releases provisional payments, so that they count; a verdict for each by its id."""
    return verdicts_of(release_payments(by.workplace, by.actor, wish.ids))


@router.post("/payments/{payment_id}/void", status_code=204)
def post_payment_void(by: By, payment_id: Id) -> None:
    """Says that a provisional payment never came."""
    void_payment(by.workplace, by.actor, payment_id)


@router.get("/journal.csv", **gives_file("text/csv"))
def get_journal(
    by: By,
    since: Annotated[date, Query(alias="from")],
    until: Annotated[date, Query(alias="to")],
) -> Response:
    """Returns the journal from one day to another as CSV."""
    content = b"".join(journal_csv(by.workplace, since, until))
    return Response(content, media_type="text/csv")
