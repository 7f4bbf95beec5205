"""A change of price steps on 100,000 listings, foreseen before it is saved; beside it, the same
rows read bare and the same arithmetic with plain whole numbers."""

import resource
import sqlite3
from datetime import UTC, datetime
from time import perf_counter

from sqlalchemy import insert, select, text

from ground import OWNER, new_workplace, report, temporary
from relvan.demo.scale import add_many
from relvan.services.prices.foresee import foresee_prices
from relvan.store.tables import Channel, Listing, PriceList

PRODUCTS = 100_000
TRIALS = {
    "percent and ending": {
        "price_steps": [
            {"kind": "percent", "percent": "7.5"},
            {"kind": "ending", "endings": [99, 49], "direction": "nearest"},
        ]
    },
    "cover fees": {"price_steps": [{"kind": "cover fees"}]},
    "cover fees, least margin": {
        "price_steps": [{"kind": "cover fees"}],
        "least_margin": "12",
        "delivery_cost": 380,
    },
}


def main() -> None:
    """Fills the shop, measures, and prints the figures."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        _fill(workplace)
        found: dict[str, object] = {"rows bare, seconds": _bare(workplace)}
        for name, wishes in TRIALS.items():
            start = perf_counter()
            foresight = foresee_prices(workplace, OWNER, "hagglet", wishes)
            found[name] = {
                "listings": foresight.listings,
                "changed": foresight.changed,
                "seconds": round(perf_counter() - start, 2),
            }
        found["memory_mb"] = round(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
        report("prices", found)


def _fill(workplace) -> None:
    with workplace.database.writing() as session:
        price_list = session.scalars(select(PriceList.id)).first()
        channel = Channel(
            key="hagglet",
            name="Hagglet",
            rulebook="hagglet",
            address="http://127.0.0.1:9",
            token="",
            price_list_id=price_list,
        )
        session.add(channel)
        session.flush()
        channel_id = channel.id
    add_many(workplace.database, PRODUCTS)
    now = datetime.now(UTC)
    with workplace.database.writing() as session:
        session.execute(text("DELETE FROM listing"))
        session.execute(
            text(
                "UPDATE product SET cost = 200 + id * 7919 % 4001, floor = 300 + id * 104729 % 4001"
            )
        )
        rows = [
            {
                "channel_id": channel_id,
                "product_id": one,
                "price": 1690,
                "category": "hg-planters",
                "created_at": now,
                "changed_at": now,
            }
            for one in range(1, PRODUCTS + 1)
        ]
        for start in range(0, PRODUCTS, 20_000):
            session.execute(insert(Listing), rows[start : start + 20_000])
        session.execute(text("ANALYZE"))


def _bare(workplace) -> float:
    raw = sqlite3.connect(workplace.database.path)
    start = perf_counter()
    raw.execute(
        "SELECT l.id, p.sku, p.cost, p.floor, a.amount FROM listing l JOIN product p ON p.id = l.product_id"
        " LEFT JOIN list_price a ON a.product_id = p.id"
    ).fetchall()
    seconds = perf_counter() - start
    raw.close()
    return round(seconds, 2)


if __name__ == "__main__":
    main()
