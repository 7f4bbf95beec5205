"""Loads products as their listings need them: with what variants inherit from their family, and
with what an alias has of its own.
"""

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from relvan.core.listings.cascade import ListedProduct
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.kits import parts_below
from relvan.store.portable import less_of
from relvan.store.tables import Picture, Product, ProductPicture, SkuName


@dataclass(frozen=True)
class Face:
    """The values that an alias has of its own; an empty one means the product's. Prices are in
    minor units by price list.
    """

    sku: str
    title: str
    picture: str
    prices: Mapping[str, int]


@dataclass(frozen=True)
class Listed:
    """A product as its listings need it: its values, its bounds and its cost in minor units, and
    the names of its pictures in order.
    """

    product: ListedProduct
    floor: int | None
    pictures: tuple[str, ...]
    kind: str
    faces: Mapping[str, Face] = field(default_factory=dict)
    family_id: int | None = None
    cost: int | None = None
    advertised_minimum: int | None = None
    ceiling: int | None = None
    tax_code: str = "standard"

    def under(self, alias: str) -> "Listed":
        """Returns the same product as an alias shows it."""
        face = self.faces.get(alias.casefold())
        if face is None:
            return self
        first = (face.picture,) if face.picture else ()
        product = replace(self.product, sku=face.sku, title=face.title or self.product.title)
        return replace(
            self,
            product=product,
            pictures=(*first, *(sha for sha in self.pictures if sha not in first)),
        )


def listed_products(session: Session, product_ids: Collection[int]) -> dict[int, Listed]:
    """Loads products as their listings need them; a handful of queries, whatever the number."""
    products = _plain(session, product_ids)
    heads = {
        row.family_id for row in products.values() if row.family_id is not None
    } - products.keys()
    families = _plain(session, heads) if heads else {}
    everything = {**products, **families}
    pictures = _pictures(session, everything)
    bare = [row.id for row in products.values() if row.kind == "family" and not pictures[row.id]]
    if bare:
        pictures.update(_pictures_of_variants(session, bare))
    faces = _faces(session, products)
    weights = _kit_weights(
        session, [row.id for row in products.values() if row.kind == "kit" and not row.weight_g]
    )
    found = {}
    for product_id, row in products.items():
        family = everything[row.family_id] if row.family_id is not None else None
        kept = pictures[product_id] or (pictures[family.id] if family else [])
        given = _given(row, kept, weights.get(product_id))
        if family is not None:
            given = replace(given, family=_given(family, pictures[family.id], None))
        floor, cost, advertised, ceiling = (
            getattr(row, name)
            if getattr(row, name) is not None or family is None
            else getattr(family, name)
            for name in ("floor", "cost", "advertised_minimum", "ceiling")
        )
        shown = tuple(sha for sha, _ in kept)
        found[product_id] = Listed(
            given,
            floor,
            shown,
            row.kind,
            faces.get(product_id, {}),
            row.family_id,
            cost,
            advertised,
            ceiling,
            row.tax_code,
        )
    return found


# what listings need of a product; as plain rows, since the object layer takes as long again as
# reading them
_COLUMNS = (
    Product.id,
    Product.sku,
    Product.kind,
    Product.title,
    Product.brand,
    Product.description,
    Product.gtin,
    Product.category,
    Product.attributes,
    Product.traits,
    Product.axes,
    Product.weight_g,
    Product.cost,
    Product.floor,
    Product.advertised_minimum,
    Product.ceiling,
    Product.tax_code,
    Product.family_id,
)


def _plain(session: Session, product_ids: Collection[int]) -> dict[int, Any]:
    session.flush()
    return {row.id: row for row in session.connection().execute(*_listed_columns(product_ids))}


@built_once
def _listed_columns(product_ids: Collection[int]) -> Select[Any]:
    return select(*_COLUMNS).where(among(Product.id, product_ids))


def _given(row: Any, pictures: list[tuple[str, int]], weight_g: int | None) -> ListedProduct:
    return ListedProduct(
        sku=row.sku,
        title=row.title,
        brand=row.brand,
        description=row.description,
        gtin=row.gtin or "",
        category=row.category,
        weight_g=row.weight_g or weight_g,
        attributes={**row.traits, **row.attributes},
        picture_sides=tuple(side for _, side in pictures),
        traits=row.traits or {name: "" for name, _ in row.axes},
        kind=row.kind,
    )


def _pictures_of_variants(
    session: Session, families: Collection[int]
) -> dict[int, list[tuple[str, int]]]:
    """Returns the pictures for families that have none: those of their first variant that has some."""
    rows = session.execute(
        select(Product.id, Product.family_id)
        .where(Product.family_id.in_(families))
        .order_by(Product.sku_key)
    ).all()
    held = _pictures(session, [variant for variant, _ in rows])
    found: dict[int, list[tuple[str, int]]] = {}
    for variant, family in rows:
        if held[variant]:
            found.setdefault(family or 0, held[variant])
    return found


def _pictures(session: Session, product_ids: Collection[int]) -> dict[int, list[tuple[str, int]]]:
    """Returns (name, shorter side) of the pictures that are shown, in order."""
    found: dict[int, list[tuple[str, int]]] = defaultdict(list)
    for product_id, sha, side in bare_rows(session, *_shown_pictures(product_ids)).all():
        found[product_id].append((sha, side))
    return found


@built_once
def _shown_pictures(product_ids: Collection[int]) -> Select[int, str, int]:
    return (
        select(ProductPicture.product_id, Picture.sha, less_of(Picture.width, Picture.height))
        .join(Picture, Picture.sha == ProductPicture.sha)
        .where(among(ProductPicture.product_id, product_ids), ProductPicture.role == "shown")
        .order_by(ProductPicture.product_id, ProductPicture.position)
    )


def _faces(session: Session, product_ids: Collection[int]) -> dict[int, dict[str, Face]]:
    found: dict[int, dict[str, Face]] = defaultdict(dict)
    rows: Any = bare_rows(session, *_alias_rows(product_ids)).all()
    for product_id, key, sku, title, picture, prices in rows:
        found[product_id][key] = Face(sku, title, picture, prices)
    return found


@built_once
def _alias_rows(product_ids: Collection[int]) -> Select[Any]:
    name = SkuName
    columns = (name.product_id, name.key, name.sku, name.title, name.picture, name.prices)
    return select(*columns).where(among(name.product_id, product_ids), name.alias.is_(True))


def _kit_weights(session: Session, kits: Collection[int]) -> dict[int, int]:
    """Returns the weight of kits in grams, worked out from their parts where every part has a
    weight.
    """
    if not kits:
        return {}
    below = parts_below(session, kits)
    parts = {part for held in below.values() for part, _ in held}
    rows = session.execute(
        select(Product.id, Product.weight_g).where(Product.id.in_({*parts, *kits}))
    ).all()
    known = dict(rows)

    def weight(product_id: int) -> int | None:
        if known.get(product_id) or product_id not in below:
            return known.get(product_id)
        parts_of = [(weight(part), quantity) for part, quantity in below[product_id]]
        return (
            None
            if any(w is None for w, _ in parts_of)
            else sum((w or 0) * quantity for w, quantity in parts_of)
        )

    return {kit: found for kit in kits if (found := weight(kit))}


def picture_kinds(session: Session, names: Collection[str]) -> dict[str, str]:
    """Returns the media types of pictures by their names."""
    rows = bare_rows(session, *_kinds_of_pictures(names)).all()
    return dict(map(tuple, rows))


@built_once
def _kinds_of_pictures(names: Collection[str]) -> Select[str, str]:
    return select(Picture.sha, Picture.kind).where(among(Picture.sha, names))


def picture_owners(
    session: Session, names: Sequence[str], product: Product
) -> list[tuple[str, str]]:
    """Returns (SKU, name) of pictures in order, with the SKU under whose address each picture is
    served: the product's own, its family's, or a variant's.
    """
    nearest = {product.id: 0, product.family_id: 1}
    rows = session.execute(
        select(ProductPicture.sha, Product.id, Product.sku)
        .join(Product, Product.id == ProductPicture.product_id)
        .where(among(ProductPicture.sha, names))
    ).all()
    owners: dict[str, tuple[int, str]] = {}
    for sha, product_id, sku in rows:
        near = nearest.get(product_id, 2)
        if sha not in owners or near < owners[sha][0]:
            owners[sha] = (near, sku)
    return [(owners[sha][1], sha) for sha in names if sha in owners]
