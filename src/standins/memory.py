"""Keeps what the outside world remembers in one SQLite file for all stand-ins, so that it survives
a restart.
"""

import hashlib
import json
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

SCHEMA = """
CREATE TABLE IF NOT EXISTS setting (name TEXT PRIMARY KEY, value TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS listing (
    channel TEXT NOT NULL, ref TEXT NOT NULL, sku TEXT NOT NULL, title TEXT NOT NULL, price INTEGER NOT NULL,
    currency TEXT NOT NULL, quantity INTEGER NOT NULL CHECK (quantity >= 0), state TEXT NOT NULL,
    data TEXT NOT NULL, request TEXT, placed_at TEXT NOT NULL, PRIMARY KEY (channel, ref)) STRICT;
CREATE UNIQUE INDEX IF NOT EXISTS listing_request ON listing (channel, request);
CREATE INDEX IF NOT EXISTS listing_sku ON listing (channel, sku);
CREATE INDEX IF NOT EXISTS listing_head ON listing (channel, json_extract(data, '$.under'))
    WHERE json_extract(data, '$.under') IS NOT NULL;
CREATE INDEX IF NOT EXISTS listing_page ON listing (json_extract(data, '$.page')) WHERE channel = 'corvello';
CREATE TABLE IF NOT EXISTS catalogue_page (
    ref TEXT PRIMARY KEY, gtin TEXT NOT NULL, gtin_key TEXT NOT NULL, title TEXT NOT NULL, brand TEXT NOT NULL,
    data TEXT NOT NULL, made_at TEXT NOT NULL) STRICT;
CREATE INDEX IF NOT EXISTS catalogue_gtin ON catalogue_page (gtin_key);
CREATE TABLE IF NOT EXISTS handin (
    number TEXT PRIMARY KEY, mark TEXT NOT NULL UNIQUE, lines TEXT NOT NULL, ready_at TEXT NOT NULL, reply TEXT) STRICT;
CREATE INDEX IF NOT EXISTS handin_ready ON handin (ready_at) WHERE reply IS NULL;
CREATE TABLE IF NOT EXISTS handin_line (key TEXT PRIMARY KEY, verdict TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS rival (id INTEGER PRIMARY KEY, gtin_key TEXT NOT NULL, data TEXT NOT NULL) STRICT;
CREATE INDEX IF NOT EXISTS rival_gtin ON rival (gtin_key);
CREATE TABLE IF NOT EXISTS picture (id TEXT PRIMARY KEY, kind TEXT NOT NULL, content BLOB NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS purchase (
    channel TEXT NOT NULL, number TEXT NOT NULL, seq INTEGER NOT NULL, state TEXT NOT NULL, paid INTEGER NOT NULL,
    seen INTEGER NOT NULL DEFAULT 0, buyer TEXT NOT NULL, lines TEXT NOT NULL, postage INTEGER NOT NULL,
    currency TEXT NOT NULL, tracking TEXT NOT NULL, placed_at TEXT NOT NULL, PRIMARY KEY (channel, number)) STRICT;
CREATE INDEX IF NOT EXISTS purchase_seq ON purchase (channel, seq);
CREATE TABLE IF NOT EXISTS centre_stock (
    centre TEXT NOT NULL, sku TEXT NOT NULL, units INTEGER NOT NULL, PRIMARY KEY (centre, sku)) STRICT;
CREATE TABLE IF NOT EXISTS handover (
    ref TEXT PRIMARY KEY, centre TEXT NOT NULL, lines TEXT NOT NULL, goes_to TEXT NOT NULL, state TEXT NOT NULL,
    code TEXT NOT NULL, seq INTEGER NOT NULL, taken_at TEXT NOT NULL) STRICT;
CREATE INDEX IF NOT EXISTS handover_seq ON handover (seq);
CREATE TABLE IF NOT EXISTS refund (
    channel TEXT NOT NULL, number TEXT NOT NULL, key TEXT NOT NULL, amount INTEGER NOT NULL, at TEXT NOT NULL,
    PRIMARY KEY (channel, number, key)) STRICT;
CREATE TABLE IF NOT EXISTS hook_delivery (
    id INTEGER PRIMARY KEY, event TEXT NOT NULL, channel TEXT NOT NULL, body TEXT NOT NULL,
    due REAL NOT NULL, tries INTEGER NOT NULL DEFAULT 0, done INTEGER NOT NULL DEFAULT 0) STRICT;
CREATE INDEX IF NOT EXISTS hook_due ON hook_delivery (done, due);
CREATE TABLE IF NOT EXISTS label (
    code TEXT PRIMARY KEY, client_ref TEXT NOT NULL, product TEXT NOT NULL, cents INTEGER NOT NULL,
    data TEXT NOT NULL, pdf BLOB NOT NULL, bought_at TEXT NOT NULL) STRICT;
CREATE UNIQUE INDEX IF NOT EXISTS label_client_ref ON label (client_ref);
CREATE TABLE IF NOT EXISTS label_end (code TEXT PRIMARY KEY, sheet TEXT NOT NULL, at TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS label_fate (code TEXT PRIMARY KEY, fate TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS day_sheet (
    number TEXT PRIMARY KEY, carrier TEXT NOT NULL, client_ref TEXT NOT NULL UNIQUE, codes TEXT NOT NULL,
    at TEXT NOT NULL) STRICT;
CREATE TABLE IF NOT EXISTS mail (
    id INTEGER PRIMARY KEY, sender TEXT NOT NULL, recipients TEXT NOT NULL, raw BLOB NOT NULL,
    arrived_at TEXT NOT NULL) STRICT;
"""

DEFAULTS = {
    "clock.minutes": "0",
    "sequence": "0",
    "scale.grams": "0",
    "token.corvello": "corvello-demo-stall",
    "token.hagglet": "hagglet-demo-seller",
    "token.loomstead": "loomstead-demo-key",
    "token.ownshop": "ownshop-demo-admin",
    "token.ostrel": "ostrel-demo-account",
    "token.merrowline": "merrowline-demo-key",
    "token.mailroom": "mailroom-demo-post",
}


class Memory:
    """One connection behind one lock, because the world is small and order matters more than speed."""

    def __init__(self, path: str | Path) -> None:
        if str(path) != ":memory:":
            Path(path).parent.mkdir(parents=True, exist_ok=True)
        self._lock = threading.RLock()
        self._db = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._db.row_factory = sqlite3.Row
        self._db.execute("PRAGMA journal_mode=WAL")
        self._db.execute("PRAGMA synchronous=NORMAL")
        self._db.executescript(SCHEMA)
        for name, value in DEFAULTS.items():
            self._db.execute("INSERT OR IGNORE INTO setting VALUES (?, ?)", (name, value))
        self.tokens: dict[str, str] = {  # by stand-in; they stay as they are
            row["name"].removeprefix("token."): row["value"]
            for row in self._db.execute("SELECT name, value FROM setting WHERE name LIKE 'token.%'")
        }
        self._rulebooks: dict[str, dict[str, Any]] = {
            row["name"].removeprefix("rulebook."): loads(row["value"])
            for row in self._db.execute(
                "SELECT name, value FROM setting WHERE name LIKE 'rulebook.%'"
            )
        }

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """Runs one transaction, which is rolled back when the block raises."""
        with self._lock:
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield self._db
            except BaseException:
                self._db.execute("ROLLBACK")
                raise
            self._db.execute("COMMIT")

    def rows(self, sql: str, *values: Any) -> list[sqlite3.Row]:
        """Returns all rows of a query."""
        with self._lock:
            return self._db.execute(sql, values).fetchall()

    def row(self, sql: str, *values: Any) -> sqlite3.Row | None:
        """Returns the first row of a query, or None."""
        with self._lock:
            found: sqlite3.Row | None = self._db.execute(sql, values).fetchone()
            return found

    def setting(self, name: str, default: str = "") -> str:
        """Returns a remembered setting."""
        found = self.row("SELECT value FROM setting WHERE name = ?", name)
        return found["value"] if found else default

    def remember(self, name: str, value: str) -> None:
        """Sets a setting."""
        with self.writing() as db:
            db.execute(
                "INSERT INTO setting VALUES (?, ?) ON CONFLICT DO UPDATE SET value = excluded.value",
                (name, value),
            )

    def rulebook(self, channel: str) -> dict[str, Any] | None:
        """Returns the rulebook that was loaded for a stand-in, or None when it follows its own
        rules.
        """
        return self._rulebooks.get(channel)

    def keep_rulebook(self, channel: str, book: dict[str, Any] | None) -> None:
        """Loads a rulebook; with None the stand-in goes back to its own rules."""
        if book is None:
            self._rulebooks.pop(channel, None)
            with self.writing() as db:
                db.execute("DELETE FROM setting WHERE name = ?", (f"rulebook.{channel}",))
        else:
            self._rulebooks[channel] = book
            self.remember(f"rulebook.{channel}", json.dumps(book))

    def now(self) -> datetime:
        """Returns the world's time: the machine's, moved on by what tests have advanced it."""
        return datetime.now(UTC) + timedelta(minutes=int(self.setting("clock.minutes", "0")))

    def close(self) -> None:
        """Closes the file."""
        with self._lock:
            self._db.close()


def next_number(db: sqlite3.Connection) -> int:
    """Returns the next number of the one sequence by which all stand-ins count; it is called inside
    a transaction.
    """
    db.execute("UPDATE setting SET value = CAST(value AS INTEGER) + 1 WHERE name = 'sequence'")
    return int(db.execute("SELECT value FROM setting WHERE name = 'sequence'").fetchone()["value"])


def keep_picture(db: sqlite3.Connection, content: bytes) -> str | None:
    """Stores a PNG, JPEG or WebP under the hash of its content; returns None when it is no picture."""
    kinds = {b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg", b"RIFF": "image/webp"}
    kind = next((kind for start, kind in kinds.items() if content.startswith(start)), None)
    if kind is None:
        return None
    name = hashlib.sha256(content).hexdigest()
    db.execute("INSERT OR IGNORE INTO picture VALUES (?, ?, ?)", (name, kind, content))
    return name


def loads(text: str) -> Any:
    """Reads a JSON column."""
    return json.loads(text)
