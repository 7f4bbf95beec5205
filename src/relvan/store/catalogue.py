"""Queries over products: one by its code, and what other stations need of many."""

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, or_, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.product import ProductKind
from relvan.core.orders.trays import Tray
from relvan.core.refusal import not_found
from relvan.core.stock.use_by import read_gs1
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.goods_places import picked_from_bin
from relvan.store.tables import (
    Balance,
    Bin,
    BinBalance,
    Channel,
    KitPart,
    Listing,
    Order,
    OrderLine,
    Picture,
    Product,
    ProductPicture,
    SkuName,
    Warehouse,
)

MOST_USES = 3  # told of each kind


def product_by_id(session: Session, product_id: int) -> Product:
    """Returns the product with an id. The product must exist."""
    return session.get_one(Product, product_id)


def find_product(session: Session, sku: str) -> Product:
    """Returns a product by its SKU or an alias, without regard to case."""
    product: Product | None = session.scalar(*_product_with_key(sku_key(sku)))
    if product is None:
        raise not_found("product", sku)
    return product


@built_once
def _product_with_key(key: str) -> Select[Product]:
    named = select(Product).join(SkuName, SkuName.product_id == Product.id)
    return named.where(SkuName.key == key)


@dataclass(frozen=True)
class NamedProduct:
    """A product as a list of SKUs names it: by its own SKU, or by an alias."""

    id: int
    sku: str
    alias: str
    kind: str
    family_id: int | None
    archived: bool


def named_products(session: Session, skus: Collection[str]) -> dict[str, NamedProduct]:
    """Returns products by the keys of the SKUs and aliases that name them; one query."""
    rows = session.execute(
        select(
            SkuName.key,
            Product.id,
            SkuName.sku,
            SkuName.alias,
            Product.kind,
            Product.family_id,
            Product.archived_at,
        )
        .join(Product, Product.id == SkuName.product_id)
        .where(among(SkuName.key, {sku_key(sku) for sku in skus}))
    ).all()
    return {
        key: NamedProduct(
            product_id, sku, sku if is_alias else "", kind, family_id, archived_at is not None
        )
        for key, product_id, sku, is_alias, kind, family_id, archived_at in rows
    }


def variants_of(session: Session, family_ids: Collection[int]) -> dict[int, list[NamedProduct]]:
    """Returns the variants of families, by family, in the order of their SKUs."""
    found: dict[int, list[NamedProduct]] = {}
    rows = session.execute(
        select(Product.id, Product.sku, Product.kind, Product.family_id, Product.archived_at)
        .where(Product.family_id.is_not(None), among(Product.family_id, family_ids))
        .order_by(Product.sku_key)
    ).all()
    for product_id, sku, kind, family_id, archived_at in rows:
        variant = NamedProduct(product_id, sku, "", kind, family_id, archived_at is not None)
        found.setdefault(family_id or 0, []).append(variant)
    return found


def products_by_code(session: Session, codes: Sequence[str]) -> dict[str, tuple[int, str, str]]:
    """Returns (id, kind, tax code) of products that can be sold, by the key of the SKU or alias."""
    keys = {sku_key(code) for code in codes}
    rows = bare_rows(session, *_goods_by_key(keys)) if keys else ()
    return {key: (product_id, kind, tax_code) for key, product_id, kind, tax_code in rows}


@built_once
def _goods_by_key(keys: Collection[str]) -> Select[str, int, str, str]:
    goods = select(SkuName.key, Product.id, Product.kind, Product.tax_code)
    goods = goods.join(Product, Product.id == SkuName.product_id)
    return goods.where(among(SkuName.key, keys), Product.kind != ProductKind.FAMILY)


def ids_by_scan(session: Session, code: str) -> set[int]:
    """Returns the ids of the products that a scanned code means: by SKU, alias or GTIN, also inside a longer
    GS1 code."""
    told = read_gs1(code)
    number = told.gtin if told else code
    by_name = select(SkuName.product_id).where(SkuName.key == sku_key(code))
    by_gtin = select(Product.id).where(Product.gtin_key == gtin_key(number))
    return {*session.scalars(by_name), *session.scalars(by_gtin)}


def skus_of(session: Session, product_ids: Collection[int]) -> dict[int, str]:
    """Returns SKUs by the product's id."""
    return dict(
        session.execute(select(Product.id, Product.sku).where(Product.id.in_(product_ids))).all()
    )


def titles_of(session: Session, product_ids: Collection[int]) -> dict[int, tuple[str, str]]:
    """Returns (SKU, title) by the product's id."""
    rows = session.execute(
        select(Product.id, Product.sku, Product.title).where(Product.id.in_(product_ids))
    ).all()
    return {product_id: (sku, title) for product_id, sku, title in rows}


def skus_and_costs(
    session: Session, product_ids: Collection[int]
) -> dict[int, tuple[str, str, int | None]]:
    """Returns (SKU, title, cost in minor units) by the product's id."""
    wanted = select(Product.id, Product.sku, Product.title, Product.cost)
    rows = session.execute(wanted.where(among(Product.id, product_ids))).all()
    return {product_id: (sku, title, cost) for product_id, sku, title, cost in rows}


def kinds_of(session: Session, product_ids: Collection[int]) -> dict[int, tuple[str, bool]]:
    """Returns (kind, whether its parts may travel apart) by the product's id."""
    if not product_ids:
        return {}
    rows = bare_rows(session, *_kind_rows(product_ids)).all()
    return {product_id: (kind, apart) for product_id, kind, apart in rows}


@built_once
def _kind_rows(product_ids: Collection[int]) -> Select[int, str, bool]:
    return select(Product.id, Product.kind, Product.parts_apart).where(
        among(Product.id, product_ids)
    )


def holds_stock(session: Session, product_ids: Collection[int]) -> set[int]:
    """Returns those of the products that have stock on hand or reserved."""
    lies = or_(Balance.on_hand > 0, Balance.reserved > 0, Balance.blocked > 0)
    return set(
        session.scalars(
            select(Balance.product_id).where(Balance.product_id.in_(product_ids), lies)
        ).all()
    )


def product_uses(session: Session, product_ids: Collection[int]) -> dict[int, str]:
    """Says in words where products are still in use. Products that are used nowhere are left out;
    four queries, whatever the number.
    """
    placed = select(Listing.product_id, Channel.name).join_from(
        Listing, Channel, Listing.channel_id == Channel.id
    )
    placed = placed.where(
        among(Listing.product_id, product_ids), Listing.placed.is_(True), Listing.shown.is_(True)
    )
    kits = select(KitPart.part_id, Product.sku).join_from(
        KitPart, Product, Product.id == KitPart.kit_id
    )
    kits = kits.where(among(KitPart.part_id, product_ids), Product.archived_at.is_(None))
    variants = select(Product.family_id, Product.sku)
    variants = variants.where(among(Product.family_id, product_ids), Product.archived_at.is_(None))
    orders = select(OrderLine.product_id, Order.number).join_from(
        OrderLine, Order, OrderLine.order_id == Order.id
    )
    orders = orders.where(
        among(OrderLine.product_id, product_ids),
        OrderLine.shipped < OrderLine.quantity,
        Order.tray.not_in((Tray.CLOSED, Tray.CANCELLED)),
    ).distinct()
    uses = {"listed on": placed, "a part of": kits, "the family of": variants, "ordered in": orders}
    found: dict[int, list[str]] = defaultdict(list)
    for words, used in uses.items():
        names: dict[Any, list[str]] = defaultdict(list)
        for product_id, name in session.execute(used.order_by(used.selected_columns[1])).all():
            names[product_id].append(name)
        for product_id, told in names.items():
            found[product_id].append(f"{words} {', '.join(told[:MOST_USES])}")
    return {product_id: "; ".join(parts) for product_id, parts in found.items()}


@dataclass(frozen=True)
class PictureRow:
    """A picture of a product. Sides are in pixels; the role is main, further or description."""

    sha: str
    width: int
    height: int
    role: str = "further"


def product_pictures(session: Session, product_ids: Collection[int]) -> dict[int, list[PictureRow]]:
    """Returns the pictures of products in order. The first one shown of each product is its main
    picture.
    """
    rows = session.execute(
        select(
            ProductPicture.product_id,
            Picture.sha,
            Picture.width,
            Picture.height,
            ProductPicture.role,
        )
        .join(Picture, ProductPicture.sha == Picture.sha)
        .where(ProductPicture.product_id.in_(product_ids))
        .order_by(ProductPicture.position)
    ).all()
    found: dict[int, list[PictureRow]] = {product_id: [] for product_id in product_ids}
    for product_id, sha, width, height, role in rows:
        held = found[product_id]
        if role == "shown":
            role = "further" if any(row.role == "main" for row in held) else "main"
        held.append(PictureRow(sha, width, height, role))
    return found


@dataclass(frozen=True)
class BinRow:
    """What one bin holds of a product; units that were `picked` and have not left yet are on hand."""

    warehouse: str
    bin: str
    on_hand: int
    picked: int
    blocked: int
    use_by: str | None = None


def product_bins(session: Session, product_id: int) -> list[BinRow]:
    """Returns the bins in which a product lies."""
    rows = session.execute(
        select(
            Warehouse.name,
            Bin.code,
            BinBalance.on_hand,
            picked_from_bin(),
            BinBalance.blocked,
            BinBalance.use_by,
        )
        .select_from(BinBalance)
        .join(Bin, Bin.id == BinBalance.bin_id)
        .join(Warehouse, Warehouse.id == Bin.warehouse_id)
        .where(BinBalance.product_id == product_id)
        .order_by(Warehouse.id, Bin.walk)
    )
    return [BinRow(*row) for row in rows]


def product_ids(session: Session) -> list[int]:
    """Returns the ids of all products."""
    return list(session.scalars(select(Product.id)))


def kept_completeness(session: Session, wanted: Collection[int]) -> dict[int, tuple[int, int]]:
    """Returns (how many details are recommended, how many of these are missing) by the product's
    id, as last worked out.
    """
    rows = bare_rows(session, *_completeness_rows(wanted)).all()
    return {product_id: (asked, lacking) for product_id, asked, lacking in rows}


@built_once
def _completeness_rows(product_ids: Collection[int]) -> Select[int, int, int]:
    return select(Product.id, Product.asked, Product.lacking).where(among(Product.id, product_ids))


def families_of(session: Session, variant_ids: Collection[int]) -> dict[int, int]:
    """Returns the ids of the families of variants, by variant."""
    rows = bare_rows(session, *_family_rows(variant_ids)).all()
    return {variant: family for variant, family in rows if family is not None}


@built_once
def _family_rows(variant_ids: Collection[int]) -> Select[int, int | None]:
    statement = select(Product.id, Product.family_id).where(among(Product.id, variant_ids))
    return statement.where(Product.family_id.is_not(None))
