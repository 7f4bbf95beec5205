"""Writes what belongs to products: their codes, their parts, and the combinations that tell
variants apart.
"""

from collections.abc import Collection
from typing import Any

from sqlalchemy import Table, delete, insert, literal, select, update
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.tables import KitPart, Product, SkuName

_NAMES: Table = SkuName.__table__  # type: ignore[assignment]  # SQLAlchemy types it as a selectable


def forget_codes(session: Session, product_ids: Collection[int]) -> None:
    """Deletes the SKUs and aliases by which products are found, before they are written anew."""
    session.execute(delete(_NAMES).where(among(SkuName.product_id, product_ids)))


def name_new_products(session: Session, product_ids: Collection[int]) -> None:
    """Adds the SKUs of new products to the codes by which products are found; new products have no
    aliases yet.
    """
    named = select(Product.sku_key, Product.sku, literal(False), Product.id).where(
        among(Product.id, product_ids)
    )
    session.execute(insert(SkuName).from_select(["key", "sku", "alias", "product_id"], named))


def forget_parts(session: Session, kit_ids: Collection[int]) -> None:
    """Deletes the parts of kits, before they are written anew."""
    session.execute(delete(KitPart).where(among(KitPart.kit_id, kit_ids)))


def clear_combinations(
    session: Session, *, product_ids: Collection[int] | None = None, family_id: int | None = None
) -> None:
    """Clears the combinations that tell variants apart, of some products or of all variants of a
    family, so that they can be swapped.
    """
    which: Any = (
        Product.family_id == family_id if product_ids is None else among(Product.id, product_ids)
    )
    statement = update(Product).where(which).values(combination=None)
    session.execute(statement.execution_options(synchronize_session=False))


def axes_of(session: Session, family_ids: Collection[int]) -> dict[int, list[Any]]:
    """Returns the traits of families with their values, each as [name, values], by family."""
    if not family_ids:
        return {}
    found = select(Product.id, Product.axes).where(among(Product.id, family_ids))
    return dict(session.execute(found).all())
