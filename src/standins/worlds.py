"""Loads a whole world into a channel, as if a seller had been there for years, and empties it.

Each channel keeps what it would keep of such a listing: families stand on one page where the
channel has such pages, and each variant stands alone in a shared catalogue.
"""

import json
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Any

from fastapi import APIRouter, Body
from pydantic import BaseModel, Field

from standins import corvello
from standins.console import market_or_404
from standins.hagglet import World
from standins.loomstead import LASTS_DAYS
from standins.memory import next_number

MOST_LISTINGS = 50_000
router = APIRouter()


class OneOfMany(BaseModel):
    """What is said of anything that can be bought. The price is in minor units."""

    sku: str = ""
    title: str = ""
    text: str = ""
    price: int = Field(default=0, ge=0)
    quantity: int = Field(default=0, ge=0)
    gtin: str = ""
    weight_g: int | None = Field(default=None, ge=0)
    traits: dict[str, str] | list[str] = Field(default_factory=dict)
    placed_at: datetime | None = None
    changed_at: datetime | None = None


class WorldListing(OneOfMany):
    """One listing of a world; with `variants` it is the page of a family."""

    title: str = Field(min_length=1)
    brand: str = ""
    category: str = ""
    variants: list[OneOfMany] = Field(default_factory=list)


@dataclass(frozen=True)
class Keeping:
    """One row that a channel is to keep: what is said, and when it was placed and changed."""

    said: OneOfMany
    above: WorldListing
    placed: datetime
    changed: datetime
    head: str = ""

    @property
    def title(self) -> str:
        """The title as buyers see it: its own, or its page's with its values."""
        if self.said.title:
            return self.said.title
        return ", ".join([self.above.title, *self.values.values()])

    @property
    def values(self) -> dict[str, str]:
        """The values by which a variant differs from its siblings."""
        return self.said.traits if isinstance(self.said.traits, dict) else {}

    @property
    def axes(self) -> list[str]:
        """The names of the traits by which the variants of a family differ."""
        if not self.above.variants:
            return []
        named = list(self.above.traits)
        first = self.above.variants[0].traits
        return named or list(first)


@router.put("/world/{channel}/listings")
def load_world(
    channel: str,
    memory: World,
    listings: Annotated[list[WorldListing], Body(max_length=MOST_LISTINGS)],
    seller: Annotated[str, Body()] = "",
) -> dict[str, int]:
    """Puts a whole world into a channel instead of what is there; all of it or nothing."""
    market_or_404(channel, memory)
    now, kept = memory.now(), 0
    with memory.writing() as db:
        _empty(db, channel)
        if seller:
            name = (f"seller.{channel}", seller)
            db.execute("INSERT OR REPLACE INTO setting VALUES (?, ?)", name)
        for listing in listings:
            for row in _rows_of(channel, listing, now):
                _KEEPERS[channel](db, row, now)
                kept += 1
            if listing.variants and channel != "corvello":
                kept += _keep_family(db, channel, listing, now)
    return {"listings": kept}


@router.delete("/world/{channel}/listings")
def empty_channel(channel: str, memory: World) -> dict[str, int]:
    """Takes every listing off a channel, as if its seller had never been there. Orders stay."""
    with memory.writing() as db:
        return {"listings": _empty(db, market_or_404(channel, memory))}


def _empty(db: sqlite3.Connection, channel: str) -> int:
    if channel == "corvello":
        ours = "SELECT json_extract(data, '$.page') FROM listing WHERE channel = 'corvello'"
        db.execute(f"DELETE FROM catalogue_page WHERE ref IN ({ours})")
    db.execute("DELETE FROM setting WHERE name = ?", (f"seller.{channel}",))
    return db.execute("DELETE FROM listing WHERE channel = ?", (channel,)).rowcount


def _times(said: OneOfMany, above: WorldListing, now: datetime) -> tuple[datetime, datetime]:
    placed = said.placed_at or above.placed_at or now
    return placed, said.changed_at or above.changed_at or placed


def _rows_of(channel: str, listing: WorldListing, now: datetime) -> list[Keeping]:
    """Returns what stands alone: a listing without variants, or each variant in a catalogue."""
    if not listing.variants:
        return [Keeping(listing, listing, *_times(listing, listing, now))]
    if channel != "corvello":
        return []
    return [Keeping(one, listing, *_times(one, listing, now)) for one in listing.variants]


def _keep_family(db: sqlite3.Connection, channel: str, listing: WorldListing, now: datetime) -> int:
    head = Keeping(listing, listing, *_times(listing, listing, now))
    ref = _KEEPERS[channel](db, head, now)
    for one in listing.variants:
        row = Keeping(one, listing, *_times(one, listing, now), head=ref)
        _KEEPERS[channel](db, row, now)
    return len(listing.variants) + 1


def _insert(
    db: sqlite3.Connection, channel: str, ref: str, row: Keeping, data: dict[str, Any]
) -> str:
    is_head = bool(row.axes) and not row.head
    data["changed_at"] = row.changed.isoformat()
    if row.head:
        data |= {"under": row.head, "differs": row.values}
    elif row.axes:
        data["grid"] = row.axes
    db.execute(
        "INSERT INTO listing VALUES (?, ?, ?, ?, ?, ?, ?, 'live', ?, NULL, ?)",
        (
            channel,
            ref,
            ref if channel == "ownshop" else row.said.sku,
            row.title,
            0 if is_head else row.said.price,
            "CHF" if channel == "loomstead" else "EUR",
            0 if is_head else row.said.quantity,
            json.dumps(data),
            row.placed.isoformat(),
        ),
    )
    return ref


def _own(row: Keeping, **names: Any) -> dict[str, Any]:
    """Returns the fields that have a value, under the channel's names."""
    return {name: value for name, value in names.items() if value not in (None, "")}


def _on_hagglet(db: sqlite3.Connection, row: Keeping, now: datetime) -> str:
    said = row.said
    data = _own(row, text=said.text, barcode=said.gtin, weight=said.weight_g)
    if row.head:
        data |= _own(row, heading=said.title)
    else:
        data |= _own(row, heading=row.title, brand=row.above.brand, shelf=row.above.category)
    data |= {"details": {}, "pictures": [], "photos": [], "condition": "new"}
    if row.axes and not row.head:
        data["grid"] = row.axes
    return _insert(db, "hagglet", f"N{700000 + next_number(db)}", row, data)


def _on_loomstead(db: sqlite3.Connection, row: Keeping, now: datetime) -> str:
    said = row.said
    data = _own(row, code=said.sku, story=said.text, gtin=said.gtin, weight=said.weight_g)
    if not row.head:
        data |= _own(row, title=row.title, brand=row.above.brand, corner=row.above.category)
        data |= {"facts": {}, "keywords": []}
        if row.axes:
            data["differs_by"] = row.axes
    elif said.title:
        data["title"] = said.title
    lapses = row.placed
    while lapses <= now:  # it has been renewed each time
        lapses += timedelta(days=LASTS_DAYS)
    data |= {"pictures": [], "lapses_at": lapses.isoformat()}
    return _insert(db, "loomstead", f"lm-{next_number(db):06d}", row, data)


def _on_own_shop(db: sqlite3.Connection, row: Keeping, now: datetime) -> str:
    said = row.said
    data = _own(row, body=said.text, barcode=said.gtin, weight=said.weight_g)
    if row.head:
        data |= {**_own(row, name=said.title), "of": row.head, "choice": row.values}
    else:
        data |= _own(row, name=row.title, brand=row.above.brand, section=row.above.category)
        if row.axes:
            data["options"] = row.axes
    data |= {"pictures": [], "images": []}
    sku = said.sku or f"item-{next_number(db)}"
    there = "SELECT 1 FROM listing WHERE channel = 'ownshop' AND ref = ?"
    if db.execute(there, (sku,)).fetchone():  # a store has each SKU once
        sku = f"{sku}-{next_number(db)}"
    return _insert(db, "ownshop", sku, row, data)


def _on_corvello(db: sqlite3.Connection, row: Keeping, now: datetime) -> str:
    page = {
        "title": row.title,
        "maker": row.above.brand,
        "gtin": row.said.gtin,
        "text": row.said.text or row.above.text,
        **({"aisle": row.above.category} if row.above.category else {}),
    }
    ref = corvello.add_page(db, page, row.placed)
    data = {"page": ref, "terms": {}, "pictures": [], "gtin": row.said.gtin, "sent_by": "seller"}
    return _insert(db, "corvello", f"CO-{next_number(db):06d}", row, data)


Keeper = Callable[[sqlite3.Connection, Keeping, datetime], str]
_KEEPERS: dict[str, Keeper] = {
    "corvello": _on_corvello,
    "hagglet": _on_hagglet,
    "loomstead": _on_loomstead,
    "ownshop": _on_own_shop,
}
