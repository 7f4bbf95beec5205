"""Bringing 100,000 product rows in: rehearse, apply, undo; memory; and how pages answer during one
more such file.

Floors: the same file parsed, and the same rows upserted by raw SQLite into one table, the full-text
index filled by one statement; and every row that an import leaves behind (product, code, price,
history, verdict) copied bare.
"""

import csv
import json
import resource
import sqlite3
import subprocess
import sys
import tempfile
import threading
from pathlib import Path
from time import perf_counter, sleep

from fastapi.testclient import TestClient

from ground import OWNER, ROOT, figures, new_workplace, report, temporary, timed
from relvan.application import make_application
from relvan.services.bulk.work import work_next
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.jobs.life import move_job
from relvan.services.open import open_workplace
from relvan.services.workplace import Workplace
from relvan.settings import Settings
from relvan.store.jobs import job_rows

ROWS = 100_000
WATCHED = "pages-are-watched-from-here"
HEAD = [
    "sku",
    "title",
    "brand",
    "description",
    "category",
    "weight g",
    "length mm",
    "width mm",
    "height mm",
    "cost",
    "price: retail",
    "supplier",
    "origin",
    "hs code",
    "minimum order",
]


def write_file(path: Path, rows: int, bump: int = 0) -> None:
    """Writes a file of so many products."""
    with open(path, "w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file)
        writer.writerow(HEAD)
        for n in range(rows):
            writer.writerow(
                [
                    f"IMP-{n:06d}",
                    f"Fern pot {n}, glazed",
                    "Quillmoss",
                    f"A pot for plants, number {n}.",
                    "Pots",
                    400 + n % 900 + bump,
                    100 + n % 50,
                    100,
                    90,
                    f"{3 + n % 9}.20",
                    f"{9 + n % 30}.90",
                    "Own workshop",
                    "IE",
                    "691200",
                    1 + n % 6,
                ]
            )


def floor(path: Path, database: Path) -> dict[str, float]:
    """Returns the seconds to parse the file, and to upsert its rows into one table with a full-text
    index.
    """
    start = perf_counter()
    with open(path, newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))[1:]
    parsed = perf_counter() - start
    db = sqlite3.connect(database)
    db.execute("PRAGMA journal_mode=WAL")
    columns = ", ".join(f"c{n}" for n in range(len(HEAD)))
    db.execute(f"CREATE TABLE p (id INTEGER PRIMARY KEY, {columns}, UNIQUE (c0))")
    db.execute("CREATE VIRTUAL TABLE s USING fts5(a, b, c)")
    start = perf_counter()
    marks = ", ".join("?" * len(HEAD))
    sets = ", ".join(f"c{n}=excluded.c{n}" for n in range(1, len(HEAD)))
    db.executemany(
        f"INSERT INTO p ({columns}) VALUES ({marks}) ON CONFLICT (c0) DO UPDATE SET {sets}", rows
    )
    db.execute("INSERT INTO s (rowid, a, b, c) SELECT id, c0, c1, c2 FROM p")
    db.commit()
    upserted = perf_counter() - start
    db.close()
    return {"parse_s": round(parsed, 2), "upsert_s": round(upserted, 2)}


def same_rows(done: Path, folder: Path) -> float:
    """Returns the seconds to copy every row that the first import wrote into the same tables of an
    empty database, by five bare statements: product, code, price, history, verdict, and the index
    of words.
    """
    new_workplace(folder).close()
    db = sqlite3.connect(folder / "relvan.db")
    db.execute("ATTACH ? AS done", (str(done),))
    start = perf_counter()
    for table, which in (
        ("bulk_job", "id = 1"),
        ("bulk_job_block", "job_id = 1"),
        ("product", "TRUE"),
        ("sku_name", "TRUE"),
        ("list_price", "TRUE"),
        ("audit_entry", "job_id = 1"),
    ):
        db.execute(f"INSERT INTO {table} SELECT * FROM done.{table} WHERE {which}")
    db.execute(
        "INSERT INTO product_search (rowid, sku, title, gtin, alias, brand)"
        " SELECT id, sku, title, coalesce(gtin, ''), '', brand FROM product"
    )
    db.commit()
    taken = perf_counter() - start
    db.close()
    return taken


def bring_in(workplace: Workplace, path: Path, bump: int) -> tuple[int, float, float]:
    """Brings a file in; returns its job, and the seconds to rehearse and to apply it."""
    write_file(path, ROWS, bump)
    start = perf_counter()
    job = receive_file(workplace, OWNER, NewFile("products", "goods.csv", path.read_bytes()))
    while work_next(workplace):
        pass
    rehearsed = perf_counter()
    move_job(workplace, OWNER, job, "apply")
    while work_next(workplace):
        pass
    applied = perf_counter()
    with workplace.database.reading() as session:
        assert job_rows(session, job_id=job)[0].done == ROWS
    return job, round(rehearsed - start, 2), round(applied - rehearsed, 2)


def work(folder: str, path: str) -> None:
    """Rehearses and applies in a process of its own, as the worker does; prints seconds and memory."""
    workplace = new_workplace(folder)
    times: dict[str, float] = {}
    for bump, name in ((0, "create"), (7, "change")):
        job, times[f"rehearse_{name}_s"], times[f"apply_{name}_s"] = bring_in(
            workplace, Path(path), bump
        )
    start = perf_counter()
    move_job(workplace, OWNER, job, "undo")
    while work_next(workplace):
        pass
    times["undo_change_s"] = round(perf_counter() - start, 2)
    Path(folder, WATCHED).touch()
    bring_in(workplace, Path(path), 9)
    times["memory_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    workplace.close()
    report("import work", times)


def pages_meanwhile(folder: Path, done: threading.Event) -> list[float]:
    """Returns the seconds of each list page while one more file is brought in."""
    while not (folder / WATCHED).exists():
        sleep(0.1)
    workplace = open_workplace(Settings(data_dir=folder, private_addresses=True, _env_file=None))
    app = make_application(workplace.settings, workplace)
    samples: list[float] = []
    with TestClient(app) as client:
        client.post("/sign-in", data={"login": "owner", "password": "a good password"})
        while not done.is_set():
            samples += timed(lambda: client.get("/catalogue"), 1)
            sleep(0.1)
    return samples


def main() -> None:
    """Runs the work beside the pages, and the floor before and after it, because the machine's
    speed drifts meanwhile.
    """
    with temporary() as folder, tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "goods.csv"
        write_file(path, ROWS)
        before = floor(path, Path(scratch) / "before.db")
        data = Path(folder) / "data"
        data.mkdir()
        done = threading.Event()
        samples: list[float] = []
        watcher = threading.Thread(target=lambda: samples.extend(pages_meanwhile(data, done)))
        watcher.start()
        command = [sys.executable, __file__, str(data), str(path)]
        out = subprocess.run(command, check=True, capture_output=True, text=True, cwd=ROOT).stdout
        done.set()
        watcher.join()
        write_file(path, ROWS)
        after = floor(path, Path(scratch) / "after.db")
        floors = {name: round((before[name] + after[name]) / 2, 2) for name in before}
        floors["same_rows_s"] = round(same_rows(data / "relvan.db", Path(folder) / "empty"), 2)
    ours = json.loads(out)
    whole = floors["parse_s"] + floors["upsert_s"]
    ratio = {
        n: round((ours[f"rehearse_{n}_s"] + ours[f"apply_{n}_s"]) / whole, 1)
        for n in ("create", "change")
    }
    report(
        "import",
        {
            "rows": ROWS,
            "floor": floors,
            "ours": ours,
            "of_floor": ratio,
            "pages_meanwhile": figures(samples),
        },
    )


if __name__ == "__main__":
    if len(sys.argv) > 1:
        work(*sys.argv[1:])
    else:
        main()
