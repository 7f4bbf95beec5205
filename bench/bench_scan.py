"""From a scan to its answer with 100,000 products: goods at the pack bench, a wrong code there, and goods at
goods in.

Floor: looking a code up in the index of SKUs by raw SQLite.
"""

import sqlite3
from itertools import cycle

from bench_intake import SKUS, incoming
from ground import OWNER, add_channels, figures, new_workplace, report, temporary, timed
from relvan.core.refusal import Refused
from relvan.demo.scale import add_many
from relvan.services.bench.scan import BenchScan, bench_view, scan_at_bench
from relvan.services.goods_in.scan import Hand, scan_goods
from relvan.services.orders.release import release_orders
from relvan.services.orders.take import take_channel_orders
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.stock.move import MoveStock, move_stock
from relvan.store.dispatch import pick_rows
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.store.orders import shipment_rows
from shop import add_pot

PRODUCTS, ORDERS, ROUNDS = 100_000, 40, 200


def main() -> None:
    """Builds a large catalogue and a picked list, then scans."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        skus = [add_pot(workplace, f"PX-{n:03d}", units=0) for n in range(SKUS)]
        for sku in skus:
            move_stock(workplace, OWNER, MoveStock(sku, "millrace", "receipt", change=1000))
        add_many(workplace.database, PRODUCTS)
        shipments = picked(workplace, skus)
        turn, back = cycle(shipments), cycle(skus)
        bench = timed(lambda: scan_goods_of(workplace, next(turn)), ROUNDS)
        wrong = timed(lambda: refused(workplace, next(turn), "NOBODY"), ROUNDS)
        coming = timed(lambda: scan_goods(workplace, OWNER, Hand("millrace"), next(back)), ROUNDS)
        floor = timed(lambda: looked_up(workplace.database.path, next(back)), ROUNDS)
        workplace.close()
    report(
        "scan",
        {
            "products": PRODUCTS,
            "bench": figures(bench),
            "wrong_code": figures(wrong),
            "goods_in": figures(coming),
            "floor": figures(floor),
            "target_p95_ms": 80,
        },
    )


def picked(workplace, skus) -> list[int]:
    """Releases and picks orders; returns their shipments."""
    with workplace.database.writing() as session:
        add_channels(session, ("hagglet", "ownshop"))
    take_channel_orders(workplace, 1, [incoming(number, skus) for number in range(ORDERS)])
    with workplace.database.reading() as session:
        numbers = [row.number for row in order_page(session, OrderFilter(), limit=ORDERS)]
    release_orders(workplace, OWNER, numbers)
    with workplace.database.reading() as session:
        ids = [row.id for row in shipment_rows(session, states=["to pick"])]
    made = make_pick_list(workplace, OWNER, ids)
    with workplace.database.reading() as session:
        rows = pick_rows(session, made)
    for row in rows:
        record_pick(workplace, OWNER, made, row.id, row.quantity)
    return ids


def scan_goods_of(workplace, shipment: int) -> None:
    """Scans the first goods of a shipment; once all is scanned, the code is refused."""
    view = bench_view(workplace, shipment, propose=False)
    refused(workplace, shipment, view.lines[0].sku)


def refused(workplace, shipment: int, code: str) -> None:
    """Scans a code, and lets a refusal pass."""
    try:
        scan_at_bench(workplace, OWNER, BenchScan(code, shipment))
    except Refused:
        return


def looked_up(path, sku: str) -> None:
    """Looks a SKU up by a bare statement on a connection of its own."""
    with sqlite3.connect(path) as base:
        base.execute("SELECT product_id FROM sku_name WHERE key = ?", (sku,)).fetchone()


if __name__ == "__main__":
    main()
