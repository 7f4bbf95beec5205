"""Queries over price lists, list prices, sale prices and conversion rates."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session, aliased

from relvan.core.prices.rates import Rate, Rates
from relvan.core.prices.sales import SalePrice, SaleState, sale_at
from relvan.core.refusal import not_found
from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.rows import rows_as
from relvan.store.tables import (
    CurrencyRate,
    Listing,
    ListingLayer,
    ListPrice,
    PriceList,
    Product,
    SaleWindow,
)


def price_lists(session: Session) -> list[PriceList]:
    """Returns all price lists, the first created first."""
    return list(session.scalars(select(PriceList).order_by(PriceList.id)))


def price_list_by_key(session: Session, key: str) -> PriceList:
    """Returns a price list by its key."""
    found = session.scalar(select(PriceList).where(PriceList.key == key))
    if found is None:
        raise not_found("price list", key)
    return found


def rate_rows(session: Session) -> list[tuple[int, Rate]]:
    """Returns all rates with their ids, the latest day first."""
    statement = select(CurrencyRate).order_by(
        CurrencyRate.since.desc(), CurrencyRate.source, CurrencyRate.target
    )
    return [(row.id, _rate(row)) for row in session.scalars(statement)]


def rates_on(session: Session, day: date) -> Rates:
    """Returns the rates that hold on a day."""
    statement = select(CurrencyRate).where(CurrencyRate.since <= day.isoformat())
    return Rates.on((_rate(row) for row in session.scalars(statement)), day)


def sales_holding(
    session: Session, product_ids: Collection[int], now: datetime
) -> dict[tuple[int, int], SalePrice]:
    """Returns the sale prices that hold at a time, by (price list, product). A variant without one
    has its family's.
    """
    rows = bare_rows(session, *_holding_rows(product_ids, now)).all()
    own: dict[tuple[int, int], list[SalePrice]] = defaultdict(list)
    lent: dict[tuple[int, int], list[SalePrice]] = defaultdict(list)
    for list_id, product_id, whose, amount, since, until in rows:
        (own if whose == product_id else lent)[list_id, product_id].append(
            SalePrice(amount, since, until)
        )
    found = {place: sale_at(sales, now) for place, sales in {**lent, **own}.items()}
    return {place: sale for place, sale in found.items() if sale is not None}


@built_once
def _holding_rows(
    product_ids: Collection[int], now: datetime
) -> Select[int, int, int, int, datetime, datetime]:
    row, of = SaleWindow, aliased(Product)
    columns = (row.price_list_id, of.id, row.product_id, row.amount, row.since, row.until)
    holds = (row.state != SaleState.OVER, row.since <= now, row.until > now)
    whose = (of.id == row.product_id) | (of.family_id == row.product_id)
    return select(*columns).join(of, whose).where(*holds, among(of.id, product_ids))


def sale_windows(session: Session, product_id: int, price_list_id: int) -> list[SaleWindow]:
    """Returns the sale prices of a product on a list, also those that are over."""
    wanted = select(SaleWindow).where(
        SaleWindow.product_id == product_id, SaleWindow.price_list_id == price_list_id
    )
    return list(session.scalars(wanted.order_by(SaleWindow.since)))


@dataclass(frozen=True)
class SaleLine:
    """A sale price in a list, in minor units of its list's currency."""

    id: int
    sku: str
    title: str
    price_list: str
    currency: str
    amount: int
    regular: int | None
    since: datetime
    until: datetime
    state: str


def sale_lines(
    session: Session,
    *,
    product_id: int | None = None,
    after: int = 0,
    limit: int = 50,
    over: bool = False,
) -> list[SaleLine]:
    """Returns sale prices that are planned or running (or those that are over), in the order in
    which they were created.
    """
    row, family, lent = SaleWindow, aliased(Product), aliased(ListPrice)
    statement = (
        select(
            row.id,
            Product.sku,
            Product.title,
            PriceList.key,
            PriceList.currency,
            row.amount,
            func.coalesce(ListPrice.amount, lent.amount),
            row.since,
            row.until,
            row.state,
        )
        .join(Product, Product.id == row.product_id)
        .join(PriceList, PriceList.id == row.price_list_id)
        .outerjoin(family, family.id == Product.family_id)
        .outerjoin(
            ListPrice,
            (ListPrice.product_id == Product.id) & (ListPrice.price_list_id == row.price_list_id),
        )
        .outerjoin(lent, (lent.product_id == family.id) & (lent.price_list_id == row.price_list_id))
        .where(
            row.id > after, (row.state == SaleState.OVER) if over else (row.state != SaleState.OVER)
        )
        .order_by(row.id)
        .limit(limit)
    )
    if product_id is not None:
        statement = statement.where(row.product_id == product_id)
    return rows_as(SaleLine, session, statement)


def turning_sales(session: Session, now: datetime, *, limit: int) -> list[SaleWindow]:
    """Returns the sale prices that are to start or to end now."""
    starts = (SaleWindow.state == SaleState.PLANNED) & (SaleWindow.since <= now)
    ends = (SaleWindow.state == SaleState.RUNNING) & (SaleWindow.until <= now)
    return list(
        session.scalars(
            select(SaleWindow).where(starts | ends).order_by(SaleWindow.id).limit(limit)
        )
    )


def own_list_prices(session: Session, product_ids: Collection[int]) -> set[tuple[int | None, int]]:
    """Returns (price list, product) of the list prices that products have themselves and do not
    inherit.
    """
    rows = session.execute(
        select(ListPrice.price_list_id, ListPrice.product_id).where(
            among(ListPrice.product_id, product_ids)
        )
    )
    return {(list_id, product_id) for list_id, product_id in rows}


def next_turning(session: Session) -> datetime | None:
    """Returns when the next sale price starts or ends, or None when none does."""
    starts = session.scalar(
        select(func.min(SaleWindow.since)).where(SaleWindow.state == SaleState.PLANNED)
    )
    ends = session.scalar(
        select(func.min(SaleWindow.until)).where(SaleWindow.state == SaleState.RUNNING)
    )
    return min((moment for moment in (starts, ends) if moment is not None), default=None)


def _rate(row: CurrencyRate) -> Rate:
    return Rate(row.source, row.target, Decimal(row.rate), date.fromisoformat(row.since))


@dataclass(frozen=True)
class PricedRow:
    """What the price of a listing is worked out from, without the values that the listing has
    itself; amounts are in minor units.
    """

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
    advertised_minimum: int | None
    ceiling: int | None
    cost: int | None
    tax_code: str
    base: int | None
    layer_id: int | None


def priced_rows(
    session: Session, channel_id: int, price_list_id: int, *, after: int, most: int
) -> list[PricedRow]:
    """Returns the listings of a channel that have a price, by id, with what variants inherit from
    their family. One query, without the object layer.
    """
    family, lent = aliased(Product), aliased(ListPrice)
    statement = (
        select(
            Listing.id,
            Product.id,
            func.coalesce(func.nullif(Listing.alias, ""), Product.sku),
            Listing.alias,
            Product.title,
            Listing.state,
            Listing.category,
            func.coalesce(func.nullif(Product.category, ""), family.category, ""),
            Listing.price,
            func.coalesce(Product.floor, family.floor),
            func.coalesce(Product.advertised_minimum, family.advertised_minimum),
            func.coalesce(Product.ceiling, family.ceiling),
            func.coalesce(Product.cost, family.cost),
            Product.tax_code,
            func.coalesce(ListPrice.amount, lent.amount),
            ListingLayer.layer_id,
        )
        .select_from(Listing)
        .join(Product, Product.id == Listing.product_id)
        .outerjoin(family, family.id == Product.family_id)
        .outerjoin(
            ListPrice,
            (ListPrice.product_id == Product.id) & (ListPrice.price_list_id == price_list_id),
        )
        .outerjoin(lent, (lent.product_id == family.id) & (lent.price_list_id == price_list_id))
        .outerjoin(
            ListingLayer, (ListingLayer.listing_id == Listing.id) & (ListingLayer.topic == "price")
        )
        .where(Listing.channel_id == channel_id, Listing.id > after, Listing.is_head.is_(False))
        .order_by(Listing.id)
        .limit(most)
    )
    return [PricedRow(*row) for row in session.connection().execute(statement).all()]


def is_price_list(session: Session, key: str) -> bool:
    """Says whether there is a price list with this key."""
    return session.scalar(select(PriceList.id).where(PriceList.key == key)) is not None


def first_list_in(session: Session, currency: str) -> PriceList | None:
    """Returns the price list in a currency that was created first, or None."""
    return session.scalar(
        select(PriceList).where(PriceList.currency == currency).order_by(PriceList.id).limit(1)
    )


def find_rate(session: Session, source: str, target: str, since: str) -> CurrencyRate | None:
    """Returns the rate of two currencies from a day on, or None."""
    here = (
        CurrencyRate.source == source,
        CurrencyRate.target == target,
        CurrencyRate.since == since,
    )
    return session.scalar(select(CurrencyRate).where(*here))


def has_other_rates(session: Session, row: CurrencyRate) -> bool:
    """Says whether there is another rate of the same two currencies."""
    pair = (
        CurrencyRate.source == row.source,
        CurrencyRate.target == row.target,
        CurrencyRate.id != row.id,
    )
    return session.scalar(select(CurrencyRate.id).where(*pair).limit(1)) is not None
