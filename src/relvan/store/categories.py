"""Queries over the seller's tree of categories and attributes."""

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, delete, func, insert, select, true
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import (
    SEPARATOR,
    AttributeAsk,
    AttributeKind,
    AttributeRule,
)
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.portable import json_pairs
from relvan.store.tables import Attribute, Category, CategoryAttribute, Product


def category_by_path(session: Session, path: str) -> Category:
    """Returns a category by its path, without regard to case."""
    found = session.scalar(select(Category).where(Category.path_key == path.strip().casefold()))
    if found is None:
        raise not_found("category", path)
    return found


def attribute_by_name(session: Session, name: str) -> Attribute:
    """Returns an attribute by its name, without regard to case."""
    found = find_attribute(session, name)
    if found is None:
        raise not_found("attribute", name)
    return found


def products_below(session: Session, path: str) -> list[int]:
    """Returns the ids of the products in a category and in the categories below it."""
    below = f"{path}{SEPARATOR}"
    inside = (func.lower(Product.category) == path.lower()) | (
        func.lower(func.substr(Product.category, 1, len(below))) == below.lower()
    )
    return list(session.scalars(select(Product.id).where(inside)).all())


def products_with_attribute(session: Session, name: str) -> list[tuple[int, str, str]]:
    """Returns (id, SKU, value) of the products that have a value for an attribute."""
    held: Any = json_pairs(Product.attributes).table_valued("key", "value", name="held")
    statement = select(Product.id, Product.sku, held.c.value).join(held, true())
    statement = statement.where(func.lower(held.c.key) == name.lower())
    return [
        (product_id, sku, str(value)) for product_id, sku, value in session.execute(statement).all()
    ]


@dataclass(frozen=True)
class CategoryRow:
    """A category with the number of products directly in it and the attributes that it recommends
    itself, as (attribute, needed).
    """

    id: int
    path: str
    products: int
    asks: tuple[tuple[str, bool], ...]

    @property
    def level(self) -> int:
        """The depth of the category in the tree, 0 at the top."""
        return self.path.count(SEPARATOR)

    @property
    def name(self) -> str:
        """The last part of its path."""
        return self.path.split(SEPARATOR)[-1]


def category_rows(session: Session) -> list[CategoryRow]:
    """Returns the whole tree in order; four queries."""
    counted = _products_in(session)
    asks: dict[int, list[tuple[str, bool]]] = {}
    rows = select(CategoryAttribute.category_id, Attribute.name, CategoryAttribute.needed)
    rows = rows.join(Attribute, Attribute.id == CategoryAttribute.attribute_id).order_by(
        Attribute.name_key
    )
    for category_id, name, needed in session.execute(rows).all():
        asks.setdefault(category_id, []).append((name, needed))
    found = session.execute(select(Category.id, Category.path, Category.path_key)).all()
    ordered = sorted(found, key=lambda row: row.path_key.split(SEPARATOR))
    return [
        CategoryRow(row.id, row.path, counted[row.path.lower()], tuple(asks.get(row.id, ())))
        for row in ordered
    ]


def _products_in(session: Session) -> dict[str, int]:
    """Returns how many products lie in each category, by its path in lower case. The index alone
    counts all products; the few archived ones are subtracted.
    """
    spelled = select(Product.category, func.count()).where(Product.category != "")
    counted: Counter[str] = Counter()
    for path, count in session.execute(spelled.group_by(Product.category)).all():
        counted[path.lower()] += count
    archived = select(Product.category).where(Product.archived_at.is_not(None))
    counted.subtract(path.lower() for path in session.scalars(archived))
    return counted


@dataclass(frozen=True)
class CategoryTree:
    """Every category by its path, in order; what each recommends, by its path in lower case; and
    the rules of the attributes among that, by their names in lower case."""

    paths: Sequence[str]
    asks: Mapping[str, Sequence[AttributeAsk]]
    rules: Mapping[str, AttributeRule]


def category_tree(session: Session) -> CategoryTree:
    """Returns all categories with the attributes that they recommend; one query."""
    rows = session.execute(
        select(
            Category.path,
            Category.path_key,
            Attribute.name_key,
            Attribute.name,
            Attribute.kind,
            Attribute.unit,
            Attribute.choices,
            CategoryAttribute.needed,
        )
        .outerjoin(CategoryAttribute, CategoryAttribute.category_id == Category.id)
        .outerjoin(Attribute, Attribute.id == CategoryAttribute.attribute_id)
        .order_by(Category.path_key, Attribute.name_key)
    ).all()
    asks: dict[str, list[AttributeAsk]] = defaultdict(list)
    rules: dict[str, AttributeRule] = {}
    for _, path_key, key, name, kind, unit, choices, needed in rows:
        if key is not None:
            asks[path_key].append(AttributeAsk(name, needed))
            rules[key] = AttributeRule(name, AttributeKind(kind), unit, tuple(choices))
    return CategoryTree(list(dict.fromkeys(row[0] for row in rows)), asks, rules)


def category_paths(session: Session) -> list[str]:
    """Returns the path of every category, in order."""
    return list(session.scalars(select(Category.path).order_by(Category.path_key)).all())


def attributes(session: Session) -> list[Attribute]:
    """Returns all attributes that the seller defined."""
    return list(session.scalars(select(Attribute).order_by(Attribute.name_key)).all())


def add_categories(session: Session, paths: Mapping[str, str]) -> None:
    """Adds those of the categories that the tree does not have yet. `paths` are their paths by key."""
    known = set(session.scalars(select(Category.path_key).where(among(Category.path_key, paths))))
    rows = [{"path": path, "path_key": key} for key, path in paths.items() if key not in known]
    if rows:
        session.execute(insert(Category), rows)


def is_category(session: Session, key: str) -> bool:
    """Says whether the tree has a category with this key."""
    return session.scalar(select(Category.id).where(Category.path_key == key)) is not None


def _at_or_below(path: str) -> ColumnElement[bool]:
    key = path.casefold()
    return (Category.path_key == key) | (
        func.substr(Category.path_key, 1, len(key) + 3) == f"{key}{SEPARATOR}"
    )


def categories_at_or_below(session: Session, path: str) -> list[Category]:
    """Returns a category and all categories below it."""
    return list(session.scalars(select(Category).where(_at_or_below(path))))


def find_attribute(session: Session, name: str) -> Attribute | None:
    """Returns an attribute by its name without regard to case, or None."""
    return session.scalar(select(Attribute).where(Attribute.name_key == name.strip().casefold()))


def forget_attribute(session: Session, attribute: Attribute) -> None:
    """Deletes an attribute, also from all categories that recommend it."""
    session.execute(delete(CategoryAttribute).where(CategoryAttribute.attribute_id == attribute.id))
    session.delete(attribute)
    session.flush()


def asked_attributes(session: Session, category_id: int) -> list[str]:
    """Returns the names of the attributes that a category recommends itself."""
    statement = select(Attribute.name).join(
        CategoryAttribute, CategoryAttribute.attribute_id == Attribute.id
    )
    return list(session.scalars(statement.where(CategoryAttribute.category_id == category_id)))


def replace_asks(session: Session, category_id: int, asks: Mapping[int, bool]) -> None:
    """Makes a category recommend exactly these attributes. `asks` says by the attribute's id
    whether it is needed.
    """
    session.execute(delete(CategoryAttribute).where(CategoryAttribute.category_id == category_id))
    rows = [
        {"category_id": category_id, "attribute_id": one, "needed": needed}
        for one, needed in asks.items()
    ]
    if rows:
        session.execute(insert(CategoryAttribute), rows)
