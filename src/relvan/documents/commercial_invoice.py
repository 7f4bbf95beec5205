"""Makes the commercial invoice that customs ask for."""

from typing import Any

from babel.numbers import format_currency

from relvan.core.money import as_decimal
from relvan.core.setup.countries import country_names
from relvan.documents.paper import paper


def commercial_invoice_pdf(invoice: Any, locale: str) -> bytes:
    """Returns the invoice as PDF, A4: who sends what to whom, with tariff numbers, origins, values and
    weights."""

    def money(amount: int) -> str:
        decimal = as_decimal(amount, invoice.currency)
        return str(format_currency(decimal, invoice.currency, locale=locale))

    countries = country_names(locale)
    return paper("commercial_invoice.html", invoice=invoice, money=money, countries=countries)
