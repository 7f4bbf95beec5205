"""Orders by file: 100,000 orders of one to three lines, rehearsed, taken with their customers, payments
and reservations, and undone.

Floor: the file parsed, and the rows of the same orders, lines and payments written by raw SQLite.
"""

import argparse
import csv
import random
import resource
import sqlite3
from datetime import date, timedelta
from pathlib import Path
from time import perf_counter

from ground import OWNER, new_workplace, report, temporary
from relvan.services.bulk.work import work_next
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.jobs.life import move_job
from relvan.services.stock.move import MoveStock, move_stock
from relvan.services.workplace import Workplace
from relvan.store.jobs import job_rows
from shop import add_pot

HEAD = (
    *("Order number", "Order date", "Name", "E-mail", "Street", "Town", "Postcode", "Country"),
    *("SKU", "Quantity", "Price", "Delivery", "Paid"),
)
SKUS = 200
BEGAN = date(2025, 2, 1)


def write_file(path: Path, orders: int) -> int:
    """Writes the file; returns how many rows it has. A third of the customers buys again."""
    dice = random.Random(5)
    rows = 0
    with path.open("w", newline="", encoding="utf-8") as file:
        table = csv.writer(file)
        table.writerow(HEAD)
        for number in range(orders):
            day = BEGAN + timedelta(days=number * 300 // orders)
            who = number % (2 * orders // 3)
            for _ in range(dice.choice((1, 1, 1, 2, 3))):
                table.writerow(
                    [
                        f"FAIR-{number:06d}",
                        day.isoformat(),
                        f"Customer {who}",
                        f"customer-{who}@example.com",
                        f"{who % 900 + 1} Larkspur Row",
                        "Tarnhollow",
                        "4821 AB",
                        "NL" if number % 3 else "Germany",
                        f"PX-{dice.randrange(SKUS):03d}",
                        dice.randint(1, 3),
                        "16.90",
                        "4.90",
                        "yes" if number % 2 else "no",
                    ]
                )
                rows += 1
    return rows


def floor(path: Path, database: Path) -> float:
    """Returns the seconds to parse the file and to write as many rows as come of it."""
    start = perf_counter()
    with path.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))[1:]
    db = sqlite3.connect(database)
    db.execute("PRAGMA journal_mode=WAL")
    columns = ", ".join(f"c{n}" for n in range(len(HEAD)))
    marks = ", ".join("?" * len(HEAD))
    for table in ("o", "l", "p"):
        db.execute(f"CREATE TABLE {table} (id INTEGER PRIMARY KEY, {columns})")
    orders = list({row[0]: row for row in rows}.values())
    for table, some in (("o", orders), ("l", rows), ("p", orders)):
        db.executemany(f"INSERT INTO {table} ({columns}) VALUES ({marks})", some)
    db.commit()
    db.close()
    return perf_counter() - start


def work(workplace: Workplace) -> None:
    """Does all bulk work that waits."""
    while work_next(workplace):
        pass


def main() -> None:
    """Takes the orders of a file, takes them back, and prints the seconds of each."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--orders", type=int, default=100_000)
    orders = parser.parse_args().orders
    times: dict[str, float] = {}
    with temporary() as folder:
        workplace = new_workplace(folder)
        for number in range(SKUS):
            sku = add_pot(workplace, f"PX-{number:03d}", units=0)
            wish = MoveStock(sku, "millrace", "receipt", change=orders // 10)
            move_stock(workplace, OWNER, wish)
        path = Path(folder, "fair.csv")
        rows = write_file(path, orders)
        start = perf_counter()
        job = receive_file(workplace, OWNER, NewFile("orders", "fair.csv", path.read_bytes()))
        work(workplace)
        times["rehearse_s"] = round(perf_counter() - start, 1)
        for deed in ("apply", "undo"):
            start = perf_counter()
            move_job(workplace, OWNER, job, deed)
            work(workplace)
            times[f"{deed}_s"] = round(perf_counter() - start, 1)
            with workplace.database.reading() as session:
                found = job_rows(session, job_id=job)[0]
                times[f"{deed}_done"] = found.done
        raw = floor(path, Path(folder, "floor.db"))
        workplace.close()
    taken = times["rehearse_s"] + times["apply_s"]
    figures = {"orders": orders, "rows": rows, **times, "orders_per_s": round(orders / taken)}
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    report(
        "order file",
        {**figures, "floor_s": round(raw, 2), "ratio": round(taken / raw, 1), "memory_mb": memory},
    )


if __name__ == "__main__":
    main()
