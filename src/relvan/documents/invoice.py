"""Makes the paper of an invoice or a credit note, also as a hybrid: a PDF/A-3 with the XML inside."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from babel.dates import format_date
from babel.numbers import format_currency, format_decimal

from relvan.core.money import as_decimal
from relvan.documents.paper import Enclosed, paper
from relvan.documents.ubl import InvoicePaper, ubl_of


@dataclass(frozen=True)
class InvoiceStyle:
    """How an invoice is written: the locale, the logo as a data address or empty, and the names of
    countries by their codes."""

    locale: str
    logo: str
    countries: Mapping[str, str]

    def money(self, amount: int, currency: str) -> str:
        """Returns an amount of minor units with its currency."""
        return str(format_currency(as_decimal(amount, currency), currency, locale=self.locale))

    def number(self, value: Any) -> str:
        """Returns a number as the seller writes it."""
        return str(format_decimal(value, locale=self.locale))

    def day(self, told: str) -> str:
        """Returns a day given as ISO 8601."""
        return str(format_date(date.fromisoformat(told), "medium", locale=self.locale))


def invoice_pdf(invoice: InvoicePaper, style: InvoiceStyle, *, hybrid: bool = False) -> bytes:
    """Returns the invoice as PDF, A4 of one page or more, with its number as a barcode; as a hybrid
    it is a PDF/A-3 that has the same invoice as UBL inside."""
    enclosed = enclosed_data(invoice) if hybrid else None
    return paper("invoice.html", enclosed, invoice=invoice, style=style)


def enclosed_data(invoice: InvoicePaper) -> Enclosed:
    """Returns the invoice as UBL, to lie inside its PDF."""
    name = f"{invoice.number.replace('/', '-')}.xml"
    return Enclosed(name, ubl_of(invoice), "The invoice as UBL 2.1, EN 16931")
