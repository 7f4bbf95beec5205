"""Queries over what goes into parcels besides the goods."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.store.tables import ParcelInsert


def rows_of_inserts(session: Session) -> list[ParcelInsert]:
    """Returns all inserts in the order in which they were made."""
    return list(session.scalars(select(ParcelInsert).order_by(ParcelInsert.id)))


def row_of_insert(session: Session, insert_id: int) -> ParcelInsert:
    """Returns an insert by its id."""
    row = session.get(ParcelInsert, insert_id)
    if row is None:
        raise not_found("insert", insert_id)
    return row
