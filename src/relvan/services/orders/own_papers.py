"""Invoices and estimates as PDF, in the seller's own layout where there is one in use, else in the usual one."""

from collections.abc import Sequence
from typing import Any

from relvan.core.mail.texts import languages_of
from relvan.core.papers.layouts import PaperKind, PaperSize, Values, drawn, lay_out
from relvan.documents.estimate import EstimatePaper, estimate_pdf
from relvan.documents.invoice import InvoiceStyle, enclosed_data, invoice_pdf
from relvan.documents.layout import layout_pdf
from relvan.documents.ubl import BilledLine, InvoicePaper
from relvan.services.orders.estimate_papers import estimate_paper
from relvan.services.orders.journal import style_of
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_keys
from relvan.store.layouts import layout_for
from relvan.store.orders import order_by_number
from relvan.store.tables import Layout


def printed_invoice(
    workplace: Workplace, paper: InvoicePaper, *, hybrid: bool = False, layout: int = 0
) -> bytes:
    """Returns an invoice or credit note as PDF; as a hybrid it has the same invoice as UBL inside."""
    style = style_of(workplace)
    with workplace.database.reading() as session:
        order = order_by_number(session, paper.order)
        channel = channel_keys(session).get(order.channel_id or 0, "")
    row = _layout(workplace, PaperKind.INVOICE, channel, paper.buyer.get("country", ""), layout)
    if row is None:
        return invoice_pdf(paper, style, hybrid=hybrid)
    page = lay_out(row.body, invoice_values(paper, style)).html
    enclosed = enclosed_data(paper) if hybrid else None
    return layout_pdf([(page, PaperSize(row.size))], enclosed, style.logo)


def printed_estimate(workplace: Workplace, number: str, layout: int = 0) -> bytes:
    """Returns an estimate as PDF."""
    paper, style = estimate_paper(workplace, number), style_of(workplace)
    row = _layout(workplace, PaperKind.ESTIMATE, "", paper.buyer.get("country", ""), layout)
    if row is None:
        return estimate_pdf(paper, style)
    page = lay_out(row.body, estimate_values(paper, style)).html
    return layout_pdf([(page, PaperSize(row.size))], logo=style.logo)


def _layout(
    workplace: Workplace, kind: PaperKind, channel: str, country: str, chosen: int
) -> Layout | None:
    languages = languages_of(country, workplace.firm.locale)
    with workplace.database.reading() as session:
        return layout_for(session, kind, channel, languages, chosen=chosen)


def invoice_values(paper: InvoicePaper, style: InvoiceStyle) -> Values:
    """Returns what a layout can say of an invoice."""

    def money(amount: int) -> str:
        return style.money(amount, paper.currency)

    return {
        "firm": _seller(paper.seller, style),
        "customer": _party(paper.buyer, style),
        "paper": {
            "title": "Invoice" if paper.kind == "invoice" else "Credit note",
            "number": paper.number,
            "day": style.day(paper.issued_on),
            "supplied": style.day(paper.supplied_on),
            "order": paper.order,
            "corrects": paper.corrects,
            "reason": paper.reason,
            "words": paper.words,
        },
        "lines": _lines([*paper.lines, *paper.charges], style, paper),
        "rates": [
            {
                "percent": f"{style.number(rate.percent)} %",
                "net": money(rate.net),
                "tax": money(rate.tax),
            }
            for rate in paper.rates
        ],
        "payment": {
            "net": money(paper.net),
            "tax": money(paper.tax),
            "total": money(paper.payable),
            "paid": money(paper.prepaid) if paper.prepaid else "",
            "due": money(paper.due),
            "due_on": style.day(paper.due_on),
        },
        "barcode": {
            "number": drawn("code128", paper.number),
            "number_qr": drawn("qr", paper.number),
            "order": drawn("code128", paper.order),
        },
    }


def _lines(
    lines: Sequence[BilledLine], style: InvoiceStyle, paper: InvoicePaper
) -> list[dict[str, str]]:
    def money(amount: int) -> str:
        return style.money(amount, paper.currency)

    return [
        {
            "sku": line.sku,
            "title": line.title,
            "quantity": style.number(line.quantity),
            "each": money(line.unit_price),
            "discount": money(line.discount) if line.discount else "",
            "tax": f"{style.number(line.percent)} %",
            "amount": money(line.paid if paper.with_tax else line.net),
        }
        for line in lines
    ]


def estimate_values(paper: EstimatePaper, style: InvoiceStyle) -> Values:
    """Returns what a layout can say of an estimate."""

    def money(amount: int) -> str:
        return style.money(amount, paper.currency)

    return {
        "firm": _seller(paper.seller, style),
        "customer": _party(paper.buyer, style),
        "paper": {
            "number": paper.number,
            "day": style.day(paper.made_on),
            "last_day": style.day(paper.last_day),
            "words": "tax inside" if paper.with_tax else "without tax",
            "link": paper.link,
        },
        "lines": [
            {
                "sku": line.sku,
                "title": line.title,
                "quantity": style.number(line.quantity),
                "each": money(line.unit_price),
                "discount": money(line.discount) if line.discount else "",
                "amount": money(line.unit_price * line.quantity - line.discount),
            }
            for line in paper.lines
        ],
        "payment": {"delivery": money(paper.delivery), "total": money(paper.total)},
        "barcode": {"number": drawn("code128", paper.number), "link": drawn("qr", paper.link)},
    }


def _seller(told: dict[str, Any], style: InvoiceStyle) -> dict[str, str]:
    return {**_party(told, style), "logo": drawn("logo", "firm" if style.logo else "")}


def _party(told: dict[str, Any], style: InvoiceStyle) -> dict[str, str]:
    names = ("name", "street", "postcode", "town", "vat_number")
    country = str(told.get("country", ""))
    number = told.get("vat_number") or told.get("tax_number") or ""
    plain = {name: str(told.get(name, "") or "") for name in names}
    return {**plain, "vat_number": str(number), "country": style.countries.get(country, country)}
