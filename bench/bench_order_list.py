"""Measures the order list of a million orders: any crossing of trays, progress, channels, countries and
tags, with any sort, against a floor that reads one order by its number.

Most orders are closed, as after years; a few thousand are open in every state. Each page is read with
its count, as the page does it.
"""

import argparse
import json
import random
import tempfile
import time
from datetime import UTC, datetime, timedelta
from itertools import product
from typing import Any

from sqlalchemy import insert

from ground import add_channels, new_workplace
from relvan.store.counting import count_with_page
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import count_orders, order_page
from relvan.store.order_paths import SORTING
from relvan.store.orders import orders_by_numbers
from relvan.store.session import Session
from relvan.store.tables import Order, OrderTag

BLOCK, OPEN_SHARE = 20_000, 0.02
COUNTRIES = ("IE", "NL", "DE", "FR", "CH", "BE")
SELDOM = "Thea Quist"
NAMES = ("Ada Fennimore", "Bram Oldacre", "Cleo Varga", "Dorrit Haas", "Emil Sandoval")
CLOSED = dict.fromkeys(("reserved", "picked", "shipped", "invoiced", "paid"), "all")


def fill(session: Session, count: int, channels: list[int], dice: random.Random) -> None:
    """Insert so many orders, the newest last."""
    began = datetime(2022, 1, 1, tzinfo=UTC)
    step = timedelta(days=1_700) / count
    for first in range(0, count, BLOCK):
        rows, tags = [], []
        for number in range(first + 1, min(first + BLOCK, count) + 1):
            row = _order(number, began + step * number, channels, dice)
            rows.append(row)
            if number % 50 == 0:
                tags.append({"order_id": number, "tag": dice.choice(("gift", "late", "check"))})
        session.execute(insert(Order), rows)
        session.execute(insert(OrderTag), tags)


def _order(
    number: int, moment: datetime, channels: list[int], dice: random.Random
) -> dict[str, Any]:
    is_open = dice.random() < OPEN_SHARE
    progress = dict(CLOSED)
    tray = "closed"
    if is_open:
        tray = dice.choice(("inbox", "short", "floor"))
        reached = dice.randint(0, 4)
        for place, name in enumerate(CLOSED):
            progress[name] = dice.choice(("none", "part", "all")) if place >= reached else "all"
    total = dice.randint(500, 40_000)
    return {
        "id": number,
        "number": f"B-{number}",
        "channel_id": dice.choice(channels),
        "channel_number": f"C-{number}",
        "tray": tray,
        "tray_since": moment,
        "customer": SELDOM if number % 10_000 == 7 else dice.choice(NAMES),
        "ship_to": {},
        "country": dice.choice(COUNTRIES),
        "currency": "EUR",
        "total": total,
        "paid": total,
        "units": dice.randint(1, 6),
        "placed_at": moment,
        "taken_at": moment,
        "words": "shipped, invoiced, paid" if not is_open else "1 of 2 to pick, not invoiced, paid",
        **{f"fact_{name}": extent for name, extent in progress.items()},
    }


FILTERS = {
    "all": OrderFilter(),
    "inbox": OrderFilter(tray=("inbox",)),
    "inbox or short": OrderFilter(tray=("inbox", "short")),
    "closed": OrderFilter(tray=("closed",)),
    "shipped, not invoiced": OrderFilter(shipped=("all",), invoiced=("open",)),
    "not reserved in full": OrderFilter(reserved=("open",)),
    "closed, to NL": OrderFilter(tray=("closed",), country=("NL",)),
    "one channel": OrderFilter(channel=("hagglet",)),
    "one channel, short": OrderFilter(channel=("hagglet",), tray=("short",)),
    "gift": OrderFilter(tag=("gift",)),
    "gift, open": OrderFilter(tag=("gift",), shipped=("open",)),
    "paid, not picked": OrderFilter(paid=("all",), picked=("none",)),
    "to CH, not paid": OrderFilter(country=("CH",), paid=("open",)),
    "words": OrderFilter(words="Cleo"),
    "a surname that a fifth has": OrderFilter(words="Haas"),
    "a seldom surname": OrderFilter(words="Quist"),
}


def main() -> None:
    """Print the p50 and p95 over all crossings and sorts, the slowest ones, and the floor."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--orders", type=int, default=1_000_000)
    parser.add_argument("--rounds", type=int, default=3)
    asked = parser.parse_args()
    sorts = ["", *(f"{dash}{name}" for name, dash in product(SORTING.columns, ("", "-")))]
    with tempfile.TemporaryDirectory() as folder:
        workplace = new_workplace(folder)
        with workplace.database.writing() as session:
            channels = add_channels(session, ("hagglet", "ownshop"))
            fill(session, asked.orders, list(channels.values()), random.Random(7))
        with workplace.database.writing() as session:
            session.connection().exec_driver_sql("ANALYZE")
        times: dict[tuple[str, str], list[float]] = {}
        with workplace.database.reading() as session:
            began = time.perf_counter()
            orders_by_numbers(session, [f"B-{asked.orders // 2}"])
            floor = time.perf_counter() - began
        for _ in range(asked.rounds):
            for (name, wanted), sort in product(FILTERS.items(), sorts):
                with workplace.database.reading() as session:  # as each page has its own
                    times.setdefault((name, sort), []).append(_read(session, wanted, sort))
        workplace.close()
    _tell(asked.orders, floor, times)


def _read(session: Session, wanted: OrderFilter, sort: str) -> float:
    began = time.perf_counter()
    rows = order_page(session, wanted, limit=51, sort=sort)
    count_with_page(rows, 50, 0, lambda: count_orders(session, wanted))
    return 1000 * (time.perf_counter() - began)


def _tell(orders: int, floor: float, times: dict[tuple[str, str], list[float]]) -> None:
    every = sorted(one for some in times.values() for one in some)
    slowest = sorted(times.items(), key=lambda pair: -sorted(pair[1])[len(pair[1]) // 2])[:14]
    print(
        json.dumps(
            {
                "bench": "order list",
                "orders": orders,
                "floor_ms": round(1000 * floor, 2),
                "p50_ms": round(every[len(every) // 2], 1),
                "p95_ms": round(every[int(len(every) * 0.95)], 1),
                "slowest": [
                    {"filter": name, "sort": sort, "ms": round(sorted(some)[len(some) // 2])}
                    for (name, sort), some in slowest
                ],
            }
        )
    )


if __name__ == "__main__":
    main()
