"""Gathers what an invoice says, for its paper and its files."""

from decimal import Decimal

from relvan.core.orders.tax_case import NOT_REGISTERED, TaxCase, case_of
from relvan.documents.ubl import BilledLine, InvoicePaper, PaperRate
from relvan.services.workplace import Workplace
from relvan.store.invoices import invoice_by_id, invoice_by_number, lines_of_invoice
from relvan.store.orders import order_by_id
from relvan.store.session import Session
from relvan.store.tables import InvoiceLineRow, InvoiceRow


def invoice_paper(workplace: Workplace, number: str) -> InvoicePaper:
    """Returns an invoice or credit note as it was issued."""
    with workplace.database.reading() as session:
        return paper_of(session, invoice_by_number(session, number))


def paper_of(session: Session, row: InvoiceRow) -> InvoicePaper:
    """Returns an invoice that has been read."""
    case = case_of(row.tax_kind)
    outside = not row.seller.get("vat_number")
    made = [_line(line, case, outside=outside) for line in lines_of_invoice(session, row.id)]
    goods = [line for line in made if line.sku]
    corrects = invoice_by_id(session, row.corrects_id) if row.corrects_id else None
    return InvoicePaper(
        kind=row.kind,
        number=row.number,
        issued_on=row.issued_on,
        due_on=row.due_on,
        supplied_on=row.supplied_on,
        currency=row.currency,
        order=order_by_id(session, row.order_id).number,
        corrects=corrects.number if corrects else "",
        corrects_on=corrects.issued_on if corrects else "",
        reason=row.reason,
        seller=row.seller,
        buyer=row.buyer,
        lines=goods or made,
        charges=[line for line in made if not line.sku] if goods else [],
        rates=[_rate(told, case, outside=outside) for told in row.rates],
        net=row.net,
        tax=row.tax,
        total=row.total,
        payable=row.payable,
        prepaid=row.prepaid,
        with_tax=row.with_tax,
        exemption=NOT_REGISTERED[1] if outside else case.exemption,
        words=NOT_REGISTERED[2] if outside else case.words,
    )


def _line(line: InvoiceLineRow, case: TaxCase, *, outside: bool) -> BilledLine:
    percent = Decimal(line.percent)
    return BilledLine(
        line.position,
        line.sku,
        line.title,
        line.quantity,
        line.unit_price,
        line.discount,
        line.net,
        line.paid,
        percent,
        NOT_REGISTERED[0] if outside else case.category(percent),
    )


def _rate(told: dict[str, str], case: TaxCase, *, outside: bool) -> PaperRate:
    percent = Decimal(told["percent"])
    category = NOT_REGISTERED[0] if outside else case.category(percent)
    return PaperRate(percent, category, int(told["net"]), int(told["tax"]))
