"""Queries over price lists and conversion rates."""

from datetime import date
from decimal import Decimal

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.prices.rates import Rate, Rates
from relvan.core.refusal import not_found
from relvan.store.tables import CurrencyRate, PriceList


def price_lists(session: Session) -> list[PriceList]:
    """All price lists, the first made first."""
    return list(session.scalars(select(PriceList).order_by(PriceList.id)))


def price_list_by_key(session: Session, key: str) -> PriceList:
    """A price list by its key."""
    found = session.scalar(select(PriceList).where(PriceList.key == key))
    if found is None:
        raise not_found("price list", key)
    return found


def rate_rows(session: Session) -> list[tuple[int, Rate]]:
    """All rates with their ids, the latest day first."""
    statement = select(CurrencyRate).order_by(CurrencyRate.since.desc(), CurrencyRate.source, CurrencyRate.target)
    return [(row.id, _rate(row)) for row in session.scalars(statement)]


def rates_on(session: Session, day: date) -> Rates:
    """The rates that hold on a day."""
    statement = select(CurrencyRate).where(CurrencyRate.since <= day.isoformat())
    return Rates.on((_rate(row) for row in session.scalars(statement)), day)


def _rate(row: CurrencyRate) -> Rate:
    return Rate(row.source, row.target, Decimal(row.rate), date.fromisoformat(row.since))
