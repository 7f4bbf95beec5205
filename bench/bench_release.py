"""Releasing 1,000 reserved orders to the warehouse at once, as the order desk does.

Floor: the rows of the same shipments written by raw SQLite in one durable commit.
"""

import sqlite3
from time import perf_counter

from bench_intake import incoming
from ground import OWNER, add_channels, new_workplace, report, temporary
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.stock.move import MoveStock, move_stock
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from shop import add_pot

ORDERS, PAGE, SKUS = 1_000, 50, 40


def main() -> None:
    """Takes the orders, releases them, then writes the same rows by bare statements."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        skus = [add_pot(workplace, f"PX-{n:03d}", units=0) for n in range(SKUS)]
        for sku in skus:
            move_stock(workplace, OWNER, MoveStock(sku, "millrace", "receipt", change=1000))
        with workplace.database.writing() as session:
            add_channels(session, ("hagglet", "ownshop"))
        told = [incoming(number, skus) for number in range(ORDERS)]
        for first in range(0, ORDERS, PAGE):
            take_channel_orders(workplace, 1, told[first : first + PAGE])
        with workplace.database.reading() as session:
            rows = order_page(session, OrderFilter(), limit=ORDERS)
        numbers = [row.number for row in rows]
        start = perf_counter()
        verdicts = release_orders(workplace, OWNER, numbers)
        ours = perf_counter() - start
        assert all(verdict.ok for verdict in verdicts)
        assert len(verdicts) == ORDERS
        floor = raw(str(workplace.database.path) + ".raw")
        workplace.close()
    report(
        "release",
        {
            "orders": ORDERS,
            "seconds": round(ours, 2),
            "floor_s": round(floor, 3),
            "ratio": round(ours / floor, 1),
            "target_s": 5,
        },
    )


def raw(path: str) -> float:
    """Return the seconds that bare rows of shipments and their lines take, in one commit."""
    with sqlite3.connect(path) as base:
        base.execute("CREATE TABLE shipment (id INTEGER PRIMARY KEY, number TEXT, state TEXT)")
        base.execute("CREATE TABLE line (id INTEGER PRIMARY KEY, shipment INTEGER, units INTEGER)")
        start = perf_counter()
        numbers = range(1, ORDERS + 1)
        base.executemany(
            "INSERT INTO shipment VALUES (?, ?, 'to pick')", [(n, f"S-{n}") for n in numbers]
        )
        base.executemany("INSERT INTO line VALUES (?, ?, 1)", [(n, n) for n in numbers])
        base.commit()
        return perf_counter() - start


if __name__ == "__main__":
    main()
