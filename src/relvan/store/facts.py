"""Reads products as flat facts, many at once, for history, bulk jobs, files and saving. See
`core.catalogue.facts`.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import orjson
from sqlalchemy import (
    ColumnElement,
    CompoundSelect,
    Integer,
    Select,
    Text,
    func,
    literal,
    select,
    type_coerce,
    union_all,
)
from sqlalchemy.orm import Session

from relvan.core.catalogue.attributes import AttributeAsk, AttributeKind, AttributeRule
from relvan.core.catalogue.facts import Facts, inherited
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed, price_fact
from relvan.core.catalogue.product import ProductKind
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.tables import (
    Attribute,
    Category,
    CategoryAttribute,
    KitPart,
    ListPrice,
    PriceBreak,
    PriceList,
    Product,
    ProductPicture,
    SkuName,
)

CHUNK = 1_000
# facts that are a column of their own, as they stand
COLUMNS = (
    "sku",
    "kind",
    "title",
    "brand",
    "description",
    "gtin",
    "category",
    "tax_code",
    "weight_g",
    "length_mm",
    "width_mm",
    "height_mm",
    "cost",
    "floor",
    "advertised_minimum",
    "ceiling",
    "parts_apart",
    "case_quantity",
    "case_weight_g",
    "case_length_mm",
    "case_width_mm",
    "case_height_mm",
    "hazardous",
    "fragile",
    "this_way_up",
    "origin",
    "hs_code",
    "supplier",
    "minimum_order",
)
TEXTS = (
    "title",
    "brand",
    "description",
    "category",
    "origin",
    "hs_code",
    "supplier",
)  # empty, never null
FLAGS = ("parts_apart", "hazardous", "fragile", "this_way_up")
_PRODUCT = Product.__table__.c
_family = Product.__table__.alias("family")
_UNPACKED = [name for name in COLUMNS if name not in FLAGS]


def in_chunks(values: Collection[Any], size: int = CHUNK) -> Iterable[list[Any]]:
    """Yields values in lists that one statement can take."""
    listed = list(values)
    return (listed[start : start + size] for start in range(0, len(listed), size))


def facts_by_id(session: Session, product_ids: Collection[int]) -> dict[int, Facts]:
    """Returns the own facts of products; three queries for every thousand, and one more for kits."""
    found: dict[int, Facts] = {}
    for ids in in_chunks(product_ids):
        found |= _products(session, *_facts_with_ids(ids))
        _add_prices(session, ids, found)
        _add_codes(session, ids, found)
        if kits := [i for i in ids if found.get(i, {}).get("kind") == ProductKind.KIT]:
            _add_parts(session, kits, found)
    return found


def facts_with_head(session: Session, sku: str) -> tuple[int, dict[int, Facts]]:
    """Returns a product by its SKU or an alias: its id, and by id the own facts of it and of the
    family whose variant it is; three queries, and one more for a kit.

    Raises:
        Refused: if there is no such product.
    """
    named = select(SkuName.product_id).where(SkuName.key == sku_key(sku)).scalar_subquery()
    head = select(_PRODUCT.family_id).where(_PRODUCT.id == named).scalar_subquery()
    found = _products(session, _facts_where((_PRODUCT.id == named) | (_PRODUCT.id == head)))
    if not found:
        raise not_found("product", sku)
    _add_prices(session, list(found), found)
    _add_codes(session, list(found), found)
    # where there are two, the one that is no family is the product
    product_id = next(
        (i for i, held in found.items() if held["kind"] != ProductKind.FAMILY), next(iter(found))
    )
    if found[product_id]["kind"] == ProductKind.KIT:
        _add_parts(session, [product_id], found)
    return product_id, found


def whole_facts(session: Session, facts: dict[int, Facts]) -> dict[int, Facts]:
    """Returns the facts of products with those that variants inherit from their families; two
    queries more than `facts_by_id`, and none more when there is no variant.
    """
    heads = {held["family"] for held in facts.values() if held.get("family")}
    if not heads:
        return facts
    ids = {key: product_id for key, (product_id, _, _) in codes(session, heads).items()}
    lent = facts_by_id(session, set(ids.values()))
    return {
        product_id: inherited(held, lent[ids[held["family"].casefold()]])
        if held.get("family")
        else held
        for product_id, held in facts.items()
    }


def _facts_where(which: ColumnElement[bool]) -> Select[Any]:
    # as they lie in the table: what most products lack need not be turned into anything
    packed = [
        type_coerce(_PRODUCT[name], Text)
        for name in ("attributes", "traits", "axes", "archived_at")
    ]
    flags = [type_coerce(_PRODUCT[name], Integer) for name in FLAGS]
    return (
        select(_PRODUCT.id, *(_PRODUCT[name] for name in _UNPACKED), *flags, *packed, _family.c.sku)
        .select_from(Product.__table__.outerjoin(_family, _family.c.id == _PRODUCT.family_id))
        .where(which)
    )


@built_once
def _facts_with_ids(product_ids: Collection[int]) -> Select[Any]:
    return _facts_where(among(_PRODUCT.id, product_ids))


def _products(
    session: Session, statement: Select[Any], values: Mapping[str, Any] | None = None
) -> dict[int, Facts]:
    found = {}
    end = 1 + len(_UNPACKED)
    for row in session.connection().execute(statement, values).all():
        product_id = row[0]
        facts: Facts = {
            name: value
            for name, value in zip(_UNPACKED, row[1:end], strict=True)
            if value or value == 0
        }
        flagged, (attributes, traits, axes, archived, family) = row[end:-5], row[-5:]
        if any(flagged):
            facts |= {name: True for name, on in zip(FLAGS, flagged, strict=True) if on}
        if attributes != "{}":
            facts |= Keyed.ATTRIBUTE.named(orjson.loads(attributes))
        if traits != "{}":
            facts |= Keyed.TRAIT.named(orjson.loads(traits))
        if axes != "[]":
            facts["axes"] = orjson.loads(axes)
        if family:
            facts["family"] = family
        if archived:
            facts["archived"] = True
        found[product_id] = facts
    return found


def _add_prices(session: Session, ids: Sequence[int], found: dict[int, Facts]) -> None:
    for product_id, key, least, amount in bare_rows(session, *_prices_and_breaks(ids)).all():
        found[product_id][price_fact(key, least)] = amount


@built_once
def _prices_and_breaks(product_ids: Collection[int]) -> CompoundSelect[int, str, int, int]:
    prices = select(ListPrice.product_id, PriceList.key, literal(0), ListPrice.amount)
    prices = prices.join(PriceList, PriceList.id == ListPrice.price_list_id).where(
        among(ListPrice.product_id, product_ids)
    )
    breaks = select(PriceBreak.product_id, PriceList.key, PriceBreak.least, PriceBreak.amount)
    breaks = breaks.join(PriceList, PriceList.id == PriceBreak.price_list_id).where(
        among(PriceBreak.product_id, product_ids)
    )
    return union_all(prices, breaks)


def _add_codes(session: Session, ids: Sequence[int], found: dict[int, Facts]) -> None:
    for product_id, sku, title, picture, prices in bare_rows(session, *_aliases(ids)).all():
        found[product_id].setdefault("aliases", []).append(sku)
        if title or picture or prices:
            found[product_id][Keyed.ALIAS.fact(sku)] = {
                "title": title,
                "picture": picture,
                "prices": prices,
            }


@built_once
def _aliases(product_ids: Collection[int]) -> Select[int, str, str, str, dict[str, int]]:
    statement = select(
        SkuName.product_id, SkuName.sku, SkuName.title, SkuName.picture, SkuName.prices
    )
    wanted = (among(SkuName.product_id, product_ids), SkuName.alias.is_(True))
    return statement.where(*wanted).order_by(SkuName.key)


def _add_parts(session: Session, ids: Sequence[int], found: dict[int, Facts]) -> None:
    statement = select(KitPart.kit_id, Product.sku, KitPart.quantity).join(
        Product, Product.id == KitPart.part_id
    )
    statement = statement.where(among(KitPart.kit_id, ids)).order_by(
        KitPart.kit_id, KitPart.position, Product.sku_key
    )
    for kit_id, sku, quantity in session.execute(statement).all():
        found[kit_id].setdefault("parts", []).append([sku, quantity])


def codes(session: Session, skus: Iterable[str]) -> dict[str, tuple[int, str, bool]]:
    """Returns (product, its SKU as typed, whether the code is an alias) by the key of a SKU or
    alias.
    """
    found: dict[str, tuple[int, str, bool]] = {}
    for keys in in_chunks({sku.strip().casefold() for sku in skus}):
        rows = session.connection().execute(*_products_named(keys)).all()
        found |= {key: (product_id, sku, alias) for key, product_id, sku, alias in rows}
    return found


@built_once
def _products_named(keys: Collection[str]) -> Select[str, int, str, bool]:
    name = SkuName.__table__.c
    named = SkuName.__table__.join(Product.__table__, _PRODUCT.id == name.product_id)
    statement = select(name.key, name.product_id, _PRODUCT.sku, name.alias).select_from(named)
    return statement.where(among(name.key, keys))


@dataclass(frozen=True)
class Relative:
    """A product that another one names: its kind, and its traits when it is a family."""

    id: int
    sku: str
    kind: str
    axes: list[Any]
    archived: bool


def relatives(session: Session, skus: Iterable[str]) -> dict[str, Relative]:
    """Returns the products that rows name as families or parts, by the key of the SKU or alias."""
    found: dict[str, Relative] = {}
    for keys in in_chunks({sku.strip().casefold() for sku in skus}):
        rows = session.execute(
            select(
                SkuName.key,
                Product.id,
                Product.sku,
                Product.kind,
                Product.axes,
                Product.archived_at,
            )
            .join(Product, Product.id == SkuName.product_id)
            .where(among(SkuName.key, keys))
        ).all()
        found |= {
            key: Relative(i, sku, kind, axes, bool(archived))
            for key, i, sku, kind, axes, archived in rows
        }
    return found


def owners_of_gtins(session: Session, keys: Iterable[str]) -> dict[str, list[tuple[int, str]]]:
    """Returns (product, SKU) by the key of a GTIN."""
    found: dict[str, list[tuple[int, str]]] = defaultdict(list)
    for chunk in in_chunks(set(keys)):
        rows = select(Product.gtin_key, Product.id, Product.sku).where(
            among(Product.gtin_key, chunk)
        )
        for key, product_id, sku in session.execute(rows).all():
            found[str(key)].append((product_id, sku))
    return found


def combinations(
    session: Session, family_ids: Collection[int]
) -> dict[tuple[int, str], tuple[int, str]]:
    """Returns (product, SKU) by family and combination of trait values."""
    rows = session.execute(
        select(Product.family_id, Product.combination, Product.id, Product.sku).where(
            among(Product.family_id, family_ids), Product.combination.is_not(None)
        )
    ).all()
    return {
        (family or 0, combination or ""): (product_id, sku)
        for family, combination, product_id, sku in rows
    }


def variant_ids(session: Session, family_ids: Collection[int]) -> list[int]:
    """Returns the ids of the variants of families."""
    return list(
        session.scalars(select(Product.id).where(among(Product.family_id, family_ids))).all()
    )


def traits_of_variants(session: Session, family_id: int) -> list[tuple[int, str, dict[str, str]]]:
    """Returns (id, SKU, trait values) of the variants of a family."""
    statement = select(Product.id, Product.sku, Product.traits).where(
        Product.family_id == family_id
    )
    return [
        (i, sku, traits)
        for i, sku, traits in session.execute(statement.order_by(Product.sku_key)).all()
    ]


def picture_counts(session: Session, product_ids: Collection[int]) -> dict[int, int]:
    """Returns how many pictures of their own products have."""
    found: dict[int, int] = {}
    for ids in in_chunks(product_ids):
        found |= dict(bare_rows(session, *_counted_pictures(ids)).all())
    return found


@built_once
def _counted_pictures(product_ids: Collection[int]) -> Select[int, int]:
    rows = select(ProductPicture.product_id, func.count()).where(
        among(ProductPicture.product_id, product_ids)
    )
    return rows.group_by(ProductPicture.product_id)


def attribute_rules(session: Session) -> dict[str, AttributeRule]:
    """Returns the attributes that the seller defined, by their names in lower case."""
    rows = session.execute(
        select(
            Attribute.name_key, Attribute.name, Attribute.kind, Attribute.unit, Attribute.choices
        )
    ).all()
    return {
        key: AttributeRule(name, AttributeKind(kind), unit, tuple(choices))
        for key, name, kind, unit, choices in rows
    }


def asks_by_category(session: Session) -> dict[str, list[AttributeAsk]]:
    """Returns the attributes that categories recommend, by the category's path in lower case."""
    rows = session.execute(
        select(Category.path_key, Attribute.name, CategoryAttribute.needed)
        .join(CategoryAttribute, CategoryAttribute.category_id == Category.id)
        .join(Attribute, Attribute.id == CategoryAttribute.attribute_id)
        .order_by(Attribute.name_key)
    ).all()
    found: dict[str, list[AttributeAsk]] = defaultdict(list)
    for path, name, needed in rows:
        found[path].append(AttributeAsk(name, needed))
    return found
