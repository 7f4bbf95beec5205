"""Writes the rows of products by column. Products that were judged one by one (`write.py`) and plain
rows of files that were judged a block at a time (`plain.py`) are both written here, a single product
as a block of one.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.store.bulk import Row, delete_rows, insert_columns, insert_rows, update_columns
from relvan.store.facts import FLAGS, TEXTS
from relvan.store.plain import ids_by_key
from relvan.store.product_rows import name_new_products
from relvan.store.session import Session
from relvan.store.tables import ListPrice, Product

Columns = Mapping[str, Sequence[Any]]


def create_rows(session: Session, now: datetime, columns: Columns) -> list[int]:
    """Creates products with the codes by which they are found, and returns their ids in the order
    of the rows. `columns` has the SKUs and any other columns; those that are left out get their
    defaults. Aliases are added afterwards.
    """
    keys = [sku_key(sku) for sku in columns["sku"]]
    moments = [now] * len(keys)
    written = {**_as_kept(columns), "sku_key": keys, "created_at": moments, "changed_at": moments}
    insert_columns(session, Product, written)
    ids = list(ids_by_key(session, keys))
    name_new_products(session, ids)
    return ids


def change_rows(session: Session, now: datetime, ids: Sequence[int], columns: Columns) -> None:
    """Changes these columns of existing products; each column has a value for every id."""
    written = {**_as_kept(columns), "changed_at": [now] * len(ids)}
    if "sku" in columns:
        written["sku_key"] = [sku_key(sku) for sku in columns["sku"]]
    update_columns(session, Product, written, ids)


def replace_prices(session: Session, gone: Sequence[Row], priced: Sequence[Row]) -> None:
    """Deletes list prices, each given as (price list, product), and then adds others, each given as
    (price list, product, minor units of the list's currency).
    """
    places = ("price_list_id", "product_id")
    delete_rows(session, ListPrice, places, gone)
    insert_rows(session, ListPrice, (*places, "amount"), priced)


def _as_kept(columns: Columns) -> dict[str, Sequence[Any]]:
    """Returns columns as the table keeps them: empty texts and flags are never NULL there, and GTINs
    have a key by which they are found.
    """
    kept = {name: _values(name, held) for name, held in columns.items()}
    if "gtin" in columns:
        kept["gtin_key"] = [gtin_key(gtin) if gtin else None for gtin in columns["gtin"]]
    return kept


def _values(name: str, values: Sequence[Any]) -> Sequence[Any]:
    if name in FLAGS:
        return [bool(value) for value in values]
    return [value or "" for value in values] if name in TEXTS and None in values else values
