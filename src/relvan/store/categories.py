"""Queries over the seller's tree of categories and attributes."""

from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, true
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import SEPARATOR
from relvan.core.refusal import not_found
from relvan.store.portable import json_pairs
from relvan.store.tables import Attribute, Category, CategoryAttribute, Product


def category_by_path(session: Session, path: str) -> Category:
    """A category by its path, without regard to case."""
    found = session.scalar(select(Category).where(Category.path_key == path.strip().casefold()))
    if found is None:
        raise not_found("category", path)
    return found


def attribute_by_name(session: Session, name: str) -> Attribute:
    """An attribute by its name, without regard to case."""
    found = session.scalar(select(Attribute).where(Attribute.name_key == name.strip().casefold()))
    if found is None:
        raise not_found("attribute", name)
    return found


def products_below(session: Session, path: str) -> list[int]:
    """The ids of the products in a category or in one below it."""
    below = f"{path}{SEPARATOR}"
    inside = (func.lower(Product.category) == path.lower()) | (
        func.lower(func.substr(Product.category, 1, len(below))) == below.lower()
    )
    return list(session.scalars(select(Product.id).where(inside)).all())


def products_with_attribute(session: Session, name: str) -> list[tuple[int, str, str]]:
    """(id, SKU, value) of the products that say something of an attribute."""
    held: Any = json_pairs(Product.attributes).table_valued("key", "value", name="held")
    statement = select(Product.id, Product.sku, held.c.value).join(held, true())
    statement = statement.where(func.lower(held.c.key) == name.lower())
    return [(product_id, sku, str(value)) for product_id, sku, value in session.execute(statement).all()]


@dataclass(frozen=True)
class CategoryRow:
    """A category with the products in it alone, and what it asks for itself: (attribute, needed)."""

    id: int
    path: str
    products: int
    asks: tuple[tuple[str, bool], ...]

    @property
    def level(self) -> int:
        """How deep it lies, 0 at the top."""
        return self.path.count(SEPARATOR)

    @property
    def name(self) -> str:
        """Its last level."""
        return self.path.split(SEPARATOR)[-1]


def category_rows(session: Session) -> list[CategoryRow]:
    """The whole tree in order; three queries."""
    counted: dict[str, int] = dict(
        session.execute(
            select(func.lower(Product.category), func.count())
            .where(Product.archived_at.is_(None), Product.category != "")
            .group_by(func.lower(Product.category))
        ).all()
    )
    asks: dict[int, list[tuple[str, bool]]] = {}
    rows = select(CategoryAttribute.category_id, Attribute.name, CategoryAttribute.needed)
    rows = rows.join(Attribute, Attribute.id == CategoryAttribute.attribute_id).order_by(Attribute.name_key)
    for category_id, name, needed in session.execute(rows).all():
        asks.setdefault(category_id, []).append((name, needed))
    found = session.execute(select(Category.id, Category.path, Category.path_key)).all()
    ordered = sorted(found, key=lambda row: row.path_key.split(SEPARATOR))
    return [
        CategoryRow(row.id, row.path, counted.get(row.path.lower(), 0), tuple(asks.get(row.id, ()))) for row in ordered
    ]


def category_paths(session: Session) -> list[str]:
    """The path of every category, in order."""
    return list(session.scalars(select(Category.path).order_by(Category.path_key)).all())


def attributes(session: Session) -> list[Attribute]:
    """All attributes that the seller defined."""
    return list(session.scalars(select(Attribute).order_by(Attribute.name_key)).all())
