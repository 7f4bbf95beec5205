"""Writes the journal of invoices and payments for the bookkeeper."""

from collections.abc import Iterator
from datetime import date
from decimal import Decimal

from relvan.core.money import as_decimal
from relvan.core.refusal import refuse
from relvan.core.setup.countries import country_names
from relvan.documents.invoice import InvoiceStyle
from relvan.documents.tables import write_csv
from relvan.services.setup.firm import logo_of
from relvan.services.workplace import Workplace
from relvan.store.invoices import JournalRow, journal_rows

HEADINGS = (
    "day",
    "kind",
    "number",
    "order",
    "customer",
    "channel",
    "country",
    "tax kind",
    "tax percent",
    "net",
    "tax",
    "rounding",
    "amount",
    "currency",
    "method",
)
MOST_DAYS = 400


def journal_csv(workplace: Workplace, since: date, until: date) -> Iterator[bytes]:
    """Yields the journal from one day to another as CSV: invoices and credit notes by rate of tax,
    and payments; what is given back is negative.

    Raises:
        Refused: if the days are in the wrong order, or more than 400.
    """
    if not 0 <= (until - since).days <= MOST_DAYS:
        message = f"The journal goes from a day to a later one, over at most {MOST_DAYS} days."
        raise refuse("out-of-range", message, "Choose other days.", "to")
    with workplace.database.reading() as session:
        rows = journal_rows(session, since, until)
    return write_csv(HEADINGS, (_written(row) for row in rows))


def _written(row: JournalRow) -> list[str | Decimal]:
    amounts = (row.net, row.tax, row.rounding, row.amount)
    return [
        row.day,
        row.kind,
        row.number,
        row.order,
        row.customer,
        row.channel,
        row.country,
        row.tax_kind,
        row.percent,
        *(as_decimal(amount, row.currency) for amount in amounts),
        row.currency,
        row.method,
    ]


def style_of(workplace: Workplace) -> InvoiceStyle:
    """Returns how the firm writes its invoices."""
    locale = workplace.firm.locale
    return InvoiceStyle(locale, logo_of(workplace), country_names(locale))
