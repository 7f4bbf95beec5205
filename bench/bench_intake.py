"""Durable order intakes per second: each order taken, reserved, told to two channels, and committed
to disk; by the page, as channels tell them; as webhooks of a rush bring them, forty at a time; and
one by one.

Floor: the rows of the same orders written by raw SQLite, one durable commit each.
"""

import sqlite3
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from time import perf_counter

from sqlalchemy import insert

from ground import OWNER, add_channels, new_workplace, report, temporary
from relvan.core.orders.intake import Address, IncomingLine, IncomingOrder
from relvan.services.orders.take import take_channel_orders
from relvan.services.orders.together import take_together
from relvan.services.stock.move import MoveStock, move_stock
from relvan.services.workplace import Workplace
from relvan.store.tables import Listing
from shop import add_pot

ORDERS, ALONE = 1_000, 100
PAGE = 50  # as many as a channel tells at once
RUSH = 40  # webhooks at the same time
SKUS = 40
TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


def main() -> None:
    """Takes the orders, then writes the same rows by bare statements, and prints both."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        skus = [add_pot(workplace, f"PX-{n:03d}", units=0) for n in range(SKUS)]
        for sku in skus:
            move_stock(workplace, OWNER, MoveStock(sku, "millrace", "receipt", change=1000))
        _list_on_two_channels(workplace)
        told = [incoming(number, skus) for number in range(2 * ORDERS + ALONE)]
        start = perf_counter()
        for first in range(0, ORDERS, PAGE):
            take_channel_orders(workplace, 1, told[first : first + PAGE])
        ours = ORDERS / (perf_counter() - start)
        start = perf_counter()
        with ThreadPoolExecutor(RUSH) as pool:
            numbers = list(
                pool.map(lambda one: take_together(workplace, 1, one), told[ORDERS : 2 * ORDERS])
            )
        rush = ORDERS / (perf_counter() - start)
        assert len(set(numbers)) == ORDERS
        start = perf_counter()
        for one in told[2 * ORDERS :]:
            take_channel_orders(workplace, 1, [one])
        alone = ALONE / (perf_counter() - start)
        floor = raw(str(workplace.database.path) + ".raw")
        workplace.close()
    report(
        "intake",
        {
            "orders": ORDERS,
            "ours_per_s": round(ours),
            "rush_per_s": round(rush),
            "one_by_one_per_s": round(alone),
            "floor_raw_rows_per_s": round(floor),
            "ratio": round(floor / ours, 2),
            "target_per_s": 200,
        },
    )


def _list_on_two_channels(workplace: Workplace) -> None:
    """Lists every product on two channels, by bare statements."""
    with workplace.database.writing() as session:
        add_channels(session, ("hagglet", "ownshop"))
        now = datetime.now(UTC)
        session.execute(
            insert(Listing),
            [
                {
                    "channel_id": c,
                    "product_id": p,
                    "own": {},
                    "refusal": [],
                    "gaps": [],
                    "placed": True,
                    "shown": True,
                    "wish": "live",
                    "ref": f"R{c}-{p}",
                    "created_at": now,
                    "changed_at": now,
                }
                for c in (1, 2)
                for p in range(1, SKUS + 1)
            ],
        )


def incoming(number: int, skus: list[str]) -> IncomingOrder:
    """Returns an order of one unit."""
    line = IncomingLine("1", skus[number % SKUS], "A pot", 1, 1690, f"R1-{number % SKUS + 1}")
    return IncomingOrder(
        f"HG-{number}", datetime.now(UTC), "EUR", (line,), TO, 490, paid=True, changed=number + 1
    )


def raw(path: str) -> float:
    """Writes the rows of one order by bare statements with one durable commit each; returns orders
    per second.
    """
    db = sqlite3.connect(path, isolation_level=None)
    for pragma in ("journal_mode=WAL", "synchronous=FULL"):
        db.execute(f"PRAGMA {pragma}")
    for table in ("o", "l", "r", "b", "a", "x"):
        db.execute(
            f"CREATE TABLE {table} (id INTEGER PRIMARY KEY, a TEXT, b TEXT, c TEXT, d TEXT, e INTEGER)"
        )
    start = perf_counter()
    for number in range(ORDERS):
        db.execute("BEGIN IMMEDIATE")
        for table in ("o", "l", "r", "b", "a", "a", "x", "x", "x"):
            db.execute(
                f"INSERT INTO {table} (a, b, c, d, e) VALUES (?, ?, ?, ?, ?)",
                ("x" * 40, "y" * 40, "z", "w", number),
            )
        db.execute("COMMIT")
    taken = perf_counter() - start
    db.close()
    return ORDERS / taken


if __name__ == "__main__":
    main()
