"""Queries over price lists."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.store.tables import PriceList


def price_lists(session: Session) -> list[PriceList]:
    """All price lists, the first made first."""
    return list(session.scalars(select(PriceList).order_by(PriceList.id)))


def price_list_by_key(session: Session, key: str) -> PriceList:
    """A price list by its key."""
    found = session.scalar(select(PriceList).where(PriceList.key == key))
    if found is None:
        raise not_found("price list", key)
    return found
