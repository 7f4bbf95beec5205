"""Queries over bulk jobs as the worker sees them, saved mappings, and price lists by key."""

from collections import defaultdict
from collections.abc import Collection

from sqlalchemy import select, true
from sqlalchemy.orm import Session

from relvan.core.jobs.life import WORKING
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.counting import remembered
from relvan.store.portable import json_pairs
from relvan.store.tables import (
    Attribute,
    Bin,
    BinBalance,
    BulkJob,
    Mapping,
    PriceList,
    Product,
    ProductPicture,
    Warehouse,
)


def price_list_keys(session: Session) -> list[str]:
    """Returns the keys of all price lists, the first created first."""
    return list(session.scalars(select(PriceList.key).order_by(PriceList.id)).all())


def price_list_ids(session: Session) -> dict[str, int]:
    """Returns the id of each price list by its key."""
    return dict(session.execute(select(PriceList.key, PriceList.id)).all())


def list_currencies(session: Session) -> dict[str, str]:
    """Returns the currency of each price list by its key."""
    return dict(session.execute(select(PriceList.key, PriceList.currency)).all())


def all_currencies(session: Session, own: str) -> dict[str, str]:
    """Returns the currency of each price list by its key, and the seller's own currency under ""."""
    return {"": own, **list_currencies(session)}


def mapping_by_name(session: Session, name: str) -> Mapping:
    """Returns a saved mapping by its name, without regard to case."""
    found = session.scalar(select(Mapping).where(Mapping.name_key == name.strip().casefold()))
    if found is None:
        raise not_found("mapping", name)
    return found


def mappings(session: Session, kind: str = "") -> list[Mapping]:
    """Returns all saved mappings, or those of one kind of file."""
    statement = select(Mapping).order_by(Mapping.name_key)
    return list(session.scalars(statement.where(Mapping.kind == kind) if kind else statement).all())


def next_working_job(session: Session) -> int | None:
    """Returns the oldest job that the worker has something to do for."""
    return session.scalar(
        select(BulkJob.id).where(BulkJob.state.in_(WORKING)).order_by(BulkJob.id).limit(1)
    )


def many_names(session: Session) -> dict[str, list[str]]:
    """Returns the fields of which a file may have several columns, by group: price lists,
    attributes in use, traits of families.
    """
    key = json_pairs(Product.attributes).table_valued("key", name="held")
    used = session.scalars(
        select(key.c.key).select_from(Product).join(key, true()).distinct()
    ).all()
    defined = session.scalars(select(Attribute.name)).all()
    axes = session.scalars(select(Product.axes).where(Product.kind == "family")).all()
    attributes = {name.casefold(): name for name in (*used, *defined)}
    traits = {axis[0]: None for held in axes for axis in held}
    return {
        "price": price_list_keys(session),
        "attribute": sorted(attributes.values()),
        "trait": sorted(traits),
    }


def many_names_shown(session: Session) -> dict[str, list[str]]:
    """Returns the same for a page that only names them."""
    return remembered(session, Product, "many names", lambda: many_names(session))


def counted_bins(
    session: Session, product_ids: Collection[int]
) -> dict[int, list[tuple[str, str, int]]]:
    """Returns (warehouse, bin, units) of products, in the order of the way through the warehouse."""
    rows = session.execute(
        select(BinBalance.product_id, Warehouse.key, Bin.code, BinBalance.on_hand)
        .join(Bin, Bin.id == BinBalance.bin_id)
        .join(Warehouse, Warehouse.id == Bin.warehouse_id)
        .where(among(BinBalance.product_id, product_ids))
        .order_by(Warehouse.id, Bin.walk)
    ).all()
    found: dict[int, list[tuple[str, str, int]]] = defaultdict(list)
    for product_id, warehouse, shelf, units in rows:
        found[product_id].append((warehouse, shelf, units))
    return found


def picture_uses(
    session: Session, product_ids: Collection[int]
) -> dict[int, list[tuple[str, str]]]:
    """Returns (name, role) of the pictures of products in order. The first one shown is the main
    picture.
    """
    rows = session.execute(
        select(ProductPicture.product_id, ProductPicture.sha, ProductPicture.role)
        .where(among(ProductPicture.product_id, product_ids))
        .order_by(ProductPicture.product_id, ProductPicture.position)
    ).all()
    found: dict[int, list[tuple[str, str]]] = defaultdict(list)
    for product_id, sha, role in rows:
        first = role == "shown" and all(held == "description" for _, held in found[product_id])
        found[product_id].append(
            (sha, "main" if first else "further" if role == "shown" else "description")
        )
    return found
