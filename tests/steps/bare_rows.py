"""Writes products as bare rows, for tests of the store."""

from datetime import UTC, datetime

from sqlalchemy import select

from relvan.store.bulk import insert_rows
from relvan.store.tables import Product

NOW = datetime(2026, 11, 2, 9, 30, 15, 250_000, tzinfo=UTC)
LEAST = ("sku", "sku_key", "kind", "title", "created_at", "changed_at")


def add(session, *skus, names=LEAST, **more):
    rows = [(sku, sku.casefold(), "single", f"Pot {sku}", NOW, NOW, *more.values()) for sku in skus]
    insert_rows(session, Product, (*names, *more), rows)
    return dict(session.execute(select(Product.sku, Product.id)).all())
