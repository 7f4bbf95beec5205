"""Creates a large demo by bulk statements: many products with prices, stock and listings."""

import random
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, insert, select

from relvan.core.listings.gaps import gap_mark
from relvan.store import search
from relvan.store.database import Database
from relvan.store.tables import (
    Balance,
    Bin,
    BinBalance,
    Channel,
    Listing,
    ListPrice,
    Movement,
    Order,
    OrderLine,
    PaymentRow,
    PriceList,
    Product,
    SkuName,
    Warehouse,
)

CHUNK = 5_000
WORDS = (
    "fern",
    "moss",
    "stone",
    "birch",
    "river",
    "amber",
    "slate",
    "linen",
    "copper",
    "willow",
    "harbour",
    "meadow",
)
THINGS = (
    "pot",
    "tray",
    "trowel",
    "tin",
    "mister",
    "stake",
    "basket",
    "saucer",
    "lamp",
    "bell",
    "hook",
    "sieve",
)
BUYER = {
    "name": "A buyer",
    "street": "1 Road",
    "town": "Town",
    "postcode": "1000",
    "country": "NL",
    "mail": "",
}
CATEGORIES = ("Pots", "Tools", "Soil", "Seeds", "Watering", "Care")


def add_many(database: Database, count: int, *, orders: int = 0, seed: int = 11) -> None:
    """Adds `count` products, each with a price and stock in the first warehouse, and half of them
    with listings; and orders.
    """
    dice = random.Random(seed)
    with database.writing() as session:
        first = (session.scalar(select(func.max(Product.id))) or 0) + 1
    for start in range(0, count, CHUNK):
        _add_products(database, range(first + start, first + min(start + CHUNK, count)), dice)
    with database.writing() as session:
        search.rebuild(session)
    for start in range(0, orders, CHUNK):
        _add_orders(database, min(CHUNK, orders - start), range(first, first + count), dice)


def _add_products(database: Database, ids: range, dice: random.Random) -> None:
    now = datetime.now(UTC)
    with database.writing() as session:
        warehouse = session.scalars(select(Warehouse.id).order_by(Warehouse.id)).first()
        shelf = session.scalars(select(Bin.id).order_by(Bin.id)).first()
        price_list = session.scalars(select(PriceList.id).order_by(PriceList.id)).first()
        channels = session.scalars(select(Channel.id).order_by(Channel.id)).all()
        rows: tuple[list[dict[str, Any]], ...] = ([], [], [], [], [], [], [])
        products, names, prices, balances, bins, moves, listings = rows
        for product_id in ids:
            units = dice.randint(0, 60)
            title = f"{dice.choice(WORDS).title()} {dice.choice(WORDS)} {dice.choice(THINGS)} {dice.randint(5, 60)} cm"
            sku = f"BULK-{product_id:07d}"
            products.append(_product(product_id, sku, title, dice.choice(CATEGORIES), now))
            names.append(
                {"key": sku.casefold(), "sku": sku, "alias": False, "product_id": product_id}
            )
            prices.append(
                {
                    "price_list_id": price_list,
                    "product_id": product_id,
                    "amount": dice.randint(500, 9000),
                }
            )
            if units:
                place = {"product_id": product_id, "on_hand": units, "blocked": 0}
                balances.append({**place, "warehouse_id": warehouse, "reserved": 0, "safety": 0})
                bins.append({**place, "bin_id": shelf})
                moves.append(
                    {
                        **place,
                        "warehouse_id": warehouse,
                        "bin_id": shelf,
                        "at": now,
                        "reason": "opening",
                        "note": "",
                    }
                )
            if product_id % 2:
                listings += [_listing(channel, product_id, now) for channel in channels]
        tables = (Product, SkuName, ListPrice, Balance, BinBalance, Movement, Listing)
        for table, values in zip(tables, rows, strict=True):
            if values:
                session.execute(insert(table), values)


def _product(product_id: int, sku: str, title: str, category: str, now: datetime) -> dict[str, Any]:
    return {
        "id": product_id,
        "sku": sku,
        "sku_key": sku.casefold(),
        "kind": "single",
        "title": title,
        "brand": "Quillmoss",
        "description": f"{title}, for plants that live indoors.",
        "category": category,
        "attributes": {"material": "stoneware"},
        "weight_g": 400,
        "cost": 500,
        "floor": 700,
        "tax_code": "standard",
        "lacking": 1,
        "created_at": now,
        "changed_at": now,
    }


def _listing(channel: int, product_id: int, now: datetime) -> dict[str, Any]:
    gap = {
        "field": "pictures",
        "kind": "too few pictures",
        "message": "There are no pictures.",
        "mend": "pictures",
        "fits_others": False,
    }
    return {
        "channel_id": channel,
        "product_id": product_id,
        "own": {},
        "refusal": [],
        "gaps": [gap],
        "gap_mark": gap_mark([gap]),
        "gap_count": 1,
        "demands": 9,
        "met": 8,
        "created_at": now,
        "changed_at": now,
    }


def _add_orders(database: Database, count: int, products: range, dice: random.Random) -> None:
    now = datetime.now(UTC)
    with database.writing() as session:
        first = (session.scalar(select(func.max(Order.id))) or 0) + 1
        orders, lines, payments = [], [], []
        for order_id in range(first, first + count):
            units, price = dice.randint(1, 3), dice.randint(500, 9000)
            orders.append(
                {
                    "id": order_id,
                    "number": f"B-{order_id}",
                    "tray": "closed",
                    "currency": "EUR",
                    "customer": f"{dice.choice(WORDS).title()} {dice.choice(WORDS).title()}",
                    "total": units * price,
                    "ship_to": BUYER,
                    "paid": units * price,
                    "units": units,
                    "placed_at": now,
                    "taken_at": now,
                    "words": "shipped, not invoiced, paid",
                    "country": BUYER["country"],
                    "tray_since": now,
                    "fact_reserved": "all",
                    "fact_picked": "all",
                    "fact_shipped": "all",
                    "fact_paid": "all",
                }
            )
            product_id = dice.choice(products)
            lines.append(
                {
                    "order_id": order_id,
                    "position": 1,
                    "sku": f"BULK-{product_id:07d}",
                    "title": "Bulk goods",
                    "product_id": product_id,
                    "quantity": units,
                    "unit_price": price,
                }
            )
            payments.append(
                {
                    "order_id": order_id,
                    "amount": units * price,
                    "method": "channel",
                    "state": "firm",
                    "day": now.date().isoformat(),
                    "made_at": now,
                }
            )
        session.execute(insert(Order), orders)
        session.execute(insert(OrderLine), lines)
        session.execute(insert(PaymentRow), payments)
