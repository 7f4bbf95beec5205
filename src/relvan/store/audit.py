"""Queries over the audit trail: an entry for each of many products, and the newest one."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import insert, literal, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.tables import AuditEntry, Product


def insert_same_entry(
    session: Session, values: Mapping[str, Any], product_ids: Sequence[int]
) -> None:
    """Writes the same entry once for each of some products. `values` are the entry's columns except
    for the id of the product.
    """
    columns = AuditEntry.__table__.c
    same = (literal(value, columns[name].type) for name, value in values.items())
    entries = select(*same, Product.id).where(among(Product.id, product_ids)).order_by(Product.id)
    session.execute(insert(AuditEntry).from_select([*values, "subject_id"], entries))


def last_recorded(session: Session) -> datetime | None:
    """Returns when the newest entry was written, or None while there is none."""
    return session.scalar(select(AuditEntry.at).order_by(AuditEntry.id.desc()).limit(1))
