"""Serves prices over HTTP: why one is as it is, sale prices, and every price that was sent."""

from datetime import datetime
from typing import Any

from pydantic import Field

from relvan.api.described import Moment
from relvan.api.desk import By, Cursor, IdOrNone, Limit, api_router
from relvan.api.shapes import ListAmount, Shape, amount_of, minor, money_shape
from relvan.services.listings.explain_price import explain_price
from relvan.services.prices.sales import PlanSale, end_sale, plan_sale
from relvan.store.catalogue import find_product
from relvan.store.floors import SOLD_OF, prices_to_watch
from relvan.store.prices import SaleLine, price_list_by_key, sale_lines
from relvan.store.prices_sent import SentFilter, prices_sent
from relvan.store.product_list import ProductFilter, product_page

router = api_router(tags=["prices"])
WATCHED = 200


class NewSale(Shape):
    """A sale price: lower than the regular one of a list, from a time (now, when it is left out)
    until another."""

    sku: str = Field(max_length=1000)
    price_list: str = Field(max_length=40)
    price: ListAmount
    since: Moment | None = None
    until: Moment


@router.get("/sales")
def list_sales(by: By, sku: str = "", limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns sale prices that are planned or running: of one product, or of all in the order in
    which they were created.
    """
    with by.workplace.database.reading() as session:
        product = find_product(session, sku).id if sku else None
        found = sale_lines(session, product_id=product, after=after, limit=limit + 1)
    following = found[limit - 1].id if len(found) > limit else None
    return {"items": [_sale(line) for line in found[:limit]], "next": following}


@router.post("/sales", status_code=201)
def post_sale(by: By, wish: NewSale) -> dict[str, Any]:
    """Creates a sale price, which starts and ends by itself."""
    with by.workplace.database.reading() as session:
        currency = price_list_by_key(session, wish.price_list).currency
    since: datetime = wish.since or by.workplace.now()
    amount = minor(wish.price, currency, "price")
    planned = plan_sale(
        by.workplace, by.actor, PlanSale(wish.sku, wish.price_list, amount, since, wish.until)
    )
    return {"id": planned}


@router.delete("/sales/{sale}")
def delete_sale(by: By, sale: int) -> dict[str, int]:
    """Ends a sale price now, or cancels one that is planned."""
    end_sale(by.workplace, by.actor, sale)
    return {"ended": sale}


@router.get("/prices-sent")
def list_prices_sent(
    by: By, sku: str = "", channel: str = "", limit: Limit = 50, after: IdOrNone = None
) -> dict[str, Any]:
    """Returns every price that a channel has accepted, the last first, with its cause."""
    with by.workplace.database.reading() as session:
        product = find_product(session, sku).id if sku else None
        wanted = SentFilter(product_id=product, channel=channel)
        found = prices_sent(session, wanted, before=after, limit=limit + 1)
    items = [
        {
            "at": row.at,
            "sku": row.sku,
            "channel": row.channel_key,
            "listing": row.listing_id,
            "price": amount_of(row.amount, row.currency),
            "regular": amount_of(row.regular, row.currency),
            "cause": row.cause,
        }
        for row in found[:limit]
    ]
    return {"items": items, "next": found[limit - 1].id if len(found) > limit else None}


@router.get("/price-watch")
def get_price_watch(by: By) -> dict[str, Any]:
    """Returns listings that a channel shows below their floor, that sell at a loss or that are held
    by a floor, in this order; and the SKUs that were sold in the last 28 days below the floor that
    holds today.
    """
    with by.workplace.database.reading() as session:
        found = prices_to_watch(session, limit=WATCHED)
        wanted = ProductFilter(sold_below_since=by.workplace.now() - SOLD_OF)
        sold = [row.sku for row in product_page(session, wanted, limit=WATCHED)]
    items = [
        {
            "listing": one.listing.id,
            "sku": one.listing.sku,
            "channel": one.listing.channel_key,
            "price": amount_of(one.listing.price, one.listing.currency),
            "shown": amount_of(one.shown, one.listing.currency),
            "floor": amount_of(one.lowest, one.listing.currency),
            "below": one.below,
            "held": one.listing.floored,
            "margin_thousandths": one.listing.margin,
        }
        for one in found
    ]
    return {"items": items, "sold_below": sold}


@router.get("/prices/{sku:path}")
def get_price(by: By, sku: str, channel: str = "") -> dict[str, Any]:
    """Returns the price on a channel, and why; while a sale price holds, with the regular one."""
    price = explain_price(by.workplace, sku, channel)
    return {
        "price": money_shape(price.money),
        "regular": money_shape(price.regular),
        "floored": price.floored,
        "why": price.why.as_dicts(),
    }


def _sale(line: SaleLine) -> dict[str, Any]:
    return {
        "id": line.id,
        "sku": line.sku,
        "price_list": line.price_list,
        "state": line.state,
        "price": amount_of(line.amount, line.currency),
        "since": line.since,
        "until": line.until,
    }
