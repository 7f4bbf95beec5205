"""Queries over kits, which may stand within kits: what is around a product, and what is in a kit."""

from collections import defaultdict
from collections.abc import Collection

from sqlalchemy import CTE, Select, select

from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.session import Session
from relvan.store.tables import KitPart, Product


def kits_above(session: Session, product_ids: Collection[int]) -> set[int]:
    """Returns every kit that contains one of these products, also through kits within kits."""
    return set(bare_rows(session, *_kits_around(product_ids)).scalars()) if product_ids else set()


@built_once
def _kits_around(product_ids: Collection[int]) -> Select[int]:
    first = select(KitPart.kit_id.label("id")).where(among(KitPart.part_id, product_ids))
    return select(_upwards(first, "kits").c.id)


def with_kits_above(product_ids: Collection[int]) -> CTE:
    """Builds the query for the ids of products and of the kits that contain one of them, as its column
    `id`."""
    first = select(Product.id).where(among(Product.id, product_ids))
    return _upwards(first, "products_and_kits")


def _upwards(first: Select[int], name: str) -> CTE:
    found = first.cte(name, recursive=True)
    return found.union(select(KitPart.kit_id).where(KitPart.part_id == found.c.id))


def parts_below(session: Session, kit_ids: Collection[int]) -> dict[int, list[tuple[int, int]]]:
    """Returns (part, quantity) by kit, in order, for these kits and every kit within them."""
    found: dict[int, list[tuple[int, int]]] = defaultdict(list)
    if kit_ids:
        for kit_id, part_id, quantity in bare_rows(session, *_parts_within(kit_ids)):
            found[kit_id].append((part_id, quantity))
    return dict(found)


@built_once
def _parts_within(kit_ids: Collection[int]) -> Select[int, int, int]:
    first = select(Product.id).where(among(Product.id, kit_ids))
    within = first.cte("kits_and_parts", recursive=True)
    within = within.union(select(KitPart.part_id).where(KitPart.kit_id == within.c.id))
    parts = select(KitPart.kit_id, KitPart.part_id, KitPart.quantity)
    return parts.where(KitPart.kit_id.in_(select(within.c.id))).order_by(
        KitPart.kit_id, KitPart.position
    )
