"""Queries over price lists and conversion rates."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from sqlalchemy import func, select
from sqlalchemy.orm import Session, aliased

from relvan.core.prices.rates import Rate, Rates
from relvan.core.refusal import not_found
from relvan.store.tables import CurrencyRate, Listing, ListingLayer, ListPrice, PriceList, Product


def price_lists(session: Session) -> list[PriceList]:
    """All price lists, the first made first."""
    return list(session.scalars(select(PriceList).order_by(PriceList.id)))


def price_list_by_key(session: Session, key: str) -> PriceList:
    """A price list by its key."""
    found = session.scalar(select(PriceList).where(PriceList.key == key))
    if found is None:
        raise not_found("price list", key)
    return found


def rate_rows(session: Session) -> list[tuple[int, Rate]]:
    """All rates with their ids, the latest day first."""
    statement = select(CurrencyRate).order_by(CurrencyRate.since.desc(), CurrencyRate.source, CurrencyRate.target)
    return [(row.id, _rate(row)) for row in session.scalars(statement)]


def rates_on(session: Session, day: date) -> Rates:
    """The rates that hold on a day."""
    statement = select(CurrencyRate).where(CurrencyRate.since <= day.isoformat())
    return Rates.on((_rate(row) for row in session.scalars(statement)), day)


def _rate(row: CurrencyRate) -> Rate:
    return Rate(row.source, row.target, Decimal(row.rate), date.fromisoformat(row.since))


@dataclass(frozen=True)
class PricedRow:
    """What the price of a listing comes from, without what it says; amounts in minor units."""

    listing_id: int
    product_id: int
    sku: str
    alias: str
    title: str
    state: str
    category: str
    ours: str
    price: int | None
    floor: int | None
    cost: int | None
    tax_code: str
    base: int | None
    layer_id: int | None


def priced_rows(session: Session, channel_id: int, price_list_id: int, *, after: int, most: int) -> list[PricedRow]:
    """Listings of a channel that have a price, by id; of a variant what its family gives where it says nothing itself.
    One query, past the object layer."""
    family, lent = aliased(Product), aliased(ListPrice)
    statement = (
        select(
            Listing.id, Product.id, func.coalesce(func.nullif(Listing.alias, ""), Product.sku), Listing.alias,
            Product.title, Listing.state, Listing.category,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""), Listing.price,
            func.coalesce(Product.floor, family.floor), func.coalesce(Product.cost, family.cost), Product.tax_code,
            func.coalesce(ListPrice.amount, lent.amount), ListingLayer.layer_id,
        )
        .select_from(Listing)
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .outerjoin(ListPrice, (ListPrice.product_id == Product.id) & (ListPrice.price_list_id == price_list_id))
        .outerjoin(lent, (lent.product_id == family.id) & (lent.price_list_id == price_list_id))
        .outerjoin(ListingLayer, (ListingLayer.listing_id == Listing.id) & (ListingLayer.topic == "price"))
        .where(Listing.channel_id == channel_id, Listing.id > after, Listing.is_head.is_(False))
        .order_by(Listing.id)
        .limit(most)
    )  # fmt: skip
    return [PricedRow(*row) for row in session.connection().execute(statement)]
