"""Queries over rates of tax and where the seller is registered."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.core.setup.tax import TaxRate, TaxTable, newest_first
from relvan.store.setup import THE_FIRM, firm_of
from relvan.store.tables import FirmRow, TaxRateRow


def tax_rates(session: Session) -> list[TaxRate]:
    """Returns all rates by country and code, the newest of each first."""
    return newest_first(
        TaxRate(
            row.country, row.code, Decimal(row.percent), date.fromisoformat(row.since), row.origin
        )
        for row in session.scalars(select(TaxRateRow))
    )


def keep_tax_rates(session: Session, rates: Sequence[TaxRate]) -> None:
    """Replaces all rates."""
    session.execute(delete(TaxRateRow))
    session.add_all(
        TaxRateRow(
            country=rate.country,
            code=rate.code,
            since=rate.since.isoformat(),
            percent=f"{rate.percent.normalize():f}",
            origin=rate.origin,
        )
        for rate in rates
    )


def registered_in(session: Session) -> list[str]:
    """Returns the countries besides the seller's own in which the seller is registered."""
    row = session.get(FirmRow, THE_FIRM)
    return list(row.registered) if row else []


def keep_registered(session: Session, countries: Sequence[str]) -> None:
    """Saves the countries in which the seller is registered; the firm must be described."""
    session.get_one(FirmRow, THE_FIRM).registered = list(countries)


def tax_table(session: Session) -> TaxTable:
    """Returns all that is needed to say which rate holds for a sale."""
    firm = firm_of(session)
    home = firm.address.country if firm else ""
    return TaxTable(tuple(tax_rates(session)), home, frozenset(registered_in(session)))
