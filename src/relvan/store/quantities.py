"""Queries over the quantities of listings, with what decides each of them."""

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from relvan.store.among import among
from relvan.store.tables import Listing, Product


@dataclass(frozen=True)
class QuantityRow:
    """What the quantity of a listing is worked out from, without the values that the listing has
    itself.
    """

    listing_id: int
    product_id: int
    family_id: int | None
    sku: str
    title: str
    kind: str
    state: str
    ours: str
    quantity: int


def quantity_rows(
    session: Session,
    channel_id: int,
    *,
    after: int,
    most: int,
    product_ids: Collection[int] | None = None,
) -> list[QuantityRow]:
    """Returns the listings of a channel that show a quantity, or only those of some products, by
    id; one query, without the object layer.
    """
    family = aliased(Product)
    statement = (
        select(
            Listing.id,
            Product.id,
            Product.family_id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Product.title,
            Product.kind,
            Listing.state,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""),
            Listing.quantity,
        )
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(Listing.channel_id == channel_id, Listing.id > after, Listing.is_head.is_(False))
        .order_by(Listing.id)
        .limit(most)
    )
    if product_ids is not None:
        statement = statement.where(among(Listing.product_id, product_ids))
    return [QuantityRow(*row) for row in session.connection().execute(statement)]
