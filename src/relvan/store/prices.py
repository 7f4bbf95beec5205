"""Queries over price lists."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.store.tables import PriceList


def price_lists(session: Session) -> list[PriceList]:
    """All price lists, the first made first."""
    return list(session.scalars(select(PriceList).order_by(PriceList.id)))
