"""Queries over the exceptions from channels' stock rules."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from relvan.core.stock.availability import StockPolicy, policy_from
from relvan.core.stock.nearest import NearerPolicies, is_below
from relvan.store.among import among
from relvan.store.built import bare_rows
from relvan.store.kept import kept
from relvan.store.tables import Category, Listing, NearerPolicy, Product

PLACES = select(NearerPolicy.channel_id, NearerPolicy.category, NearerPolicy.policy).distinct()


@dataclass(frozen=True)
class PolicyPlaces:
    """On which channels there are exceptions: those for categories themselves, and whether there
    are any for products and listings, and any whose buffer is set by risk.
    """

    categories: dict[int, dict[str, StockPolicy]]
    single: frozenset[int]
    risky: frozenset[int]


@kept
def policy_places(session: Session) -> PolicyPlaces:
    """Returns which exceptions exist."""
    categories: dict[int, dict[str, StockPolicy]] = defaultdict(dict)
    single, risky = set(), set()
    for channel_id, category, told in bare_rows(session, PLACES):
        policy = policy_from(told)
        if category is None:
            single.add(channel_id)
        else:
            categories[channel_id][category] = policy
        if policy.risk is not None:
            risky.add(channel_id)
    return PolicyPlaces(categories, frozenset(single), frozenset(risky))


def nearer_policies(
    session: Session,
    places: PolicyPlaces,
    listing_ids: Collection[int],
    product_ids: Collection[int],
) -> dict[int, NearerPolicies]:
    """Returns the exceptions that may apply to listings and products (with the families of these),
    by channel. It asks one query for each of the two, and none where there are no exceptions of
    that kind.
    """
    listings: dict[int, dict[int, StockPolicy]] = defaultdict(dict)
    products: dict[int, dict[int, StockPolicy]] = defaultdict(dict)
    if places.single:
        row = NearerPolicy
        found = session.execute(
            select(row.channel_id, row.listing_id, row.policy).where(
                among(row.listing_id, listing_ids)
            )
        )
        for channel_id, listing_id, kept in found.all():
            listings[channel_id][listing_id or 0] = policy_from(kept)
        families = select(Product.family_id).where(
            Product.family_id.is_not(None), among(Product.id, product_ids)
        )
        concerned = among(row.product_id, product_ids) | row.product_id.in_(families)
        for channel_id, product_id, kept in session.execute(
            select(row.channel_id, row.product_id, row.policy).where(concerned)
        ).all():
            products[channel_id][product_id or 0] = policy_from(kept)
    channels = {*places.categories, *listings, *products}
    return {
        key: NearerPolicies(
            listings.get(key, {}), products.get(key, {}), places.categories.get(key, {})
        )
        for key in channels
    }


def places_of_products(
    session: Session, product_ids: Collection[int]
) -> dict[int, tuple[int | None, str]]:
    """Returns (family, category) of products. A variant without a category has its family's."""
    family = aliased(Product)
    rows = session.execute(
        select(
            Product.id,
            Product.family_id,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""),
        )
        .outerjoin(family, family.id == Product.family_id)
        .where(among(Product.id, product_ids))
    )
    return {product_id: (family_id, category) for product_id, family_id, category in rows.all()}


@dataclass(frozen=True)
class PolicyLine:
    """An exception in a list: to what it applies (category, product or listing), the name of that,
    and the rule.
    """

    id: int
    kind: str
    of: str
    title: str
    policy: StockPolicy


def policy_lines(
    session: Session, channel_id: int, *, after: int = 0, limit: int = 200
) -> list[PolicyLine]:
    """Returns the exceptions of a channel, the first created first."""
    statement = (
        select(NearerPolicy, Product.sku, Product.title, Category.path)
        .outerjoin(Listing, Listing.id == NearerPolicy.listing_id)
        .outerjoin(
            Product, (Product.id == NearerPolicy.product_id) | (Product.id == Listing.product_id)
        )
        .outerjoin(Category, Category.path_key == NearerPolicy.category)
        .where(NearerPolicy.channel_id == channel_id, NearerPolicy.id > after)
        .order_by(NearerPolicy.id)
        .limit(limit)
    )
    return [_line(*row) for row in session.execute(statement).all()]


def _line(row: NearerPolicy, sku: str | None, title: str | None, path: str | None) -> PolicyLine:
    policy = policy_from(row.policy)
    if row.category is not None:
        return PolicyLine(row.id, "category", path or row.category, "", policy)
    if row.product_id is not None:
        return PolicyLine(row.id, "product", sku or "", title or "", policy)
    return PolicyLine(row.id, "listing", str(row.listing_id), sku or "", policy)


def place_of_policy(
    session: Session, channel_id: int, place: dict[str, Any]
) -> NearerPolicy | None:
    """Returns the exception for one place, which is given as `category`, `product_id` or
    `listing_id`.
    """
    return session.scalar(select(NearerPolicy).filter_by(channel_id=channel_id, **place))


def listings_under(session: Session, channel_id: int, place: dict[str, Any]) -> list[int]:
    """Returns the listings to which the exception of a place may apply: for a category also those
    of categories below it, for a family also those of its variants.
    """
    if "listing_id" in place:
        return [place["listing_id"]]
    family = aliased(Product)
    wanted = (
        select(Listing.id, func.coalesce(func.nullif(Product.category, ""), family.category, ""))
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .where(Listing.channel_id == channel_id)
        .order_by(Listing.id)
    )
    if "product_id" in place:
        of = place["product_id"]
        concerned = wanted.where((Product.id == of) | (Product.family_id == of))
        return [listing_id for listing_id, _ in session.execute(concerned).all()]
    return [
        listing_id
        for listing_id, path in session.execute(wanted).all()
        if is_below(path, place["category"])
    ]
