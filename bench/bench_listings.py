"""Listing on many channels at size: cascade and gaps of 100,000 listings, the impact of a layer on
10,000, coverage of 100,000 products by 4 channels.

Beside each: reading the same rows bare from SQLite, and the empty page of the application.
"""

import resource
import sqlite3
from datetime import UTC, datetime
from time import perf_counter

from fastapi.testclient import TestClient
from sqlalchemy import insert, select

from ground import OWNER, figures, new_workplace, report, temporary, timed
from relvan.application import make_application
from relvan.demo.scale import add_many
from relvan.gateways.channels.registry import rulebooks
from relvan.services.listings.ground import load_channels, load_ground, work_out
from relvan.services.listings.impact import impact_of_layer
from relvan.services.listings.layers import LayerWish, make_layer
from relvan.services.uncollected import uncollected
from relvan.store.listings import listing_ids_of, listings_of
from relvan.store.tables import Channel, Listing, ListingLayer, PriceList

PRODUCTS = 100_000
LAYERED = 10_000
CHUNK = 500
TIMES = 40
STATES = ("live", "live", "live", "draft", "ready", "behind", "down", "refused")
PAGES = {
    "coverage": "/listings/coverage",
    "coverage, from the middle": "/listings/coverage?after=bulk-0050000",
    "coverage, with stock, not on Corvello, selling on Hagglet": (
        "/listings/coverage?stock=yes&at_corvello=not&at_hagglet=selling"
    ),
    "coverage, two words": "/listings/coverage?q=fern+pot",
    "gaps of one channel": "/listings/gaps?channel=loomstead",
    "listing list": "/listings",
}


def main() -> None:
    """Fills the shop, measures, and prints the figures."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        _channels(workplace)
        add_many(workplace.database, PRODUCTS)
        _list_them(workplace)
        found = {"worked out": _work_out(workplace), "impact": _impact(workplace)}
        found["pages"] = _pages(workplace)
        found["memory_mb"] = round(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
        report("listings", found)


def _channels(workplace) -> None:
    with workplace.database.writing() as session:
        price_list = session.scalars(select(PriceList.id)).first()
        for key in rulebooks():
            session.add(
                Channel(
                    key=key,
                    name=key.title(),
                    rulebook=key,
                    address="http://127.0.0.1:9",
                    token="",
                    price_list_id=price_list,
                )
            )


def _list_them(workplace) -> None:
    """Lists every product on Hagglet and nine of ten on every other channel, in all states."""
    now = datetime.now(UTC)
    with workplace.database.writing() as session:
        session.connection().exec_driver_sql("DELETE FROM listing")
        keys = {channel.key: channel.id for channel in session.scalars(select(Channel))}
        for key, channel_id in keys.items():
            rows = []
            for product_id in range(1, PRODUCTS + 1):
                if key != "hagglet" and product_id % 10 == 0:
                    continue
                state = STATES[product_id % len(STATES)]
                gap = {
                    "field": "shelf",
                    "kind": "no category",
                    "message": "No shelf.",
                    "mend": "listing",
                }
                rows.append(
                    {
                        "channel_id": channel_id,
                        "product_id": product_id,
                        "own": {"shelf": "hg-planters"},
                        "refusal": [],
                        "gaps": [gap] if state == "draft" else [],
                        "gap_count": int(state == "draft"),
                        "demands": 9,
                        "met": 8,
                        "state": state,
                        "placed": state in ("live", "behind", "down"),
                        "created_at": now,
                        "changed_at": now,
                    }
                )
            for start in range(0, len(rows), 20_000):
                session.execute(insert(Listing), rows[start : start + 20_000])
        session.connection().exec_driver_sql("ANALYZE")


def _work_out(workplace) -> dict[str, object]:
    """Loads every listing of one channel and works out its values and gaps, chunk by chunk, as a
    refresh does; it writes nothing.
    """
    raw = sqlite3.connect(workplace.database.path)
    start = perf_counter()
    raw.execute(
        "SELECT * FROM listing l JOIN product p ON p.id = l.product_id WHERE l.channel_id = 2"
    ).fetchall()
    floor = perf_counter() - start
    raw.close()
    start, gaps = perf_counter(), 0
    with workplace.database.reading() as session:
        ids = listing_ids_of(session, channel_id=2)
    for first in range(0, len(ids), CHUNK):
        with uncollected(), workplace.database.reading() as session:
            channels = load_channels(session, workplace)
            listings = listings_of(session, listing_ids=ids[first : first + CHUNK])
            ground = load_ground(session, listings, channels)
            gaps += sum(
                len(work_out(listing, ground, workplace).readiness.gaps) for listing in listings
            )
    seconds = perf_counter() - start
    each = round(seconds / len(ids) * 1e6)
    return {
        "listings": len(ids),
        "gaps": gaps,
        "seconds": round(seconds, 2),
        "us_each": each,
        "rows bare, seconds": round(floor, 2),
    }


def _impact(workplace) -> dict[str, object]:
    found = {}
    for topic, before, after in (
        (
            "delivery",
            {"delivery": "By barge.", "dispatch_days": "9"},
            {"delivery": "By mule.", "dispatch_days": "9"},
        ),
        (
            "wording",
            {"heading": "{{ product.title }}"},
            {"heading": "{{ product.title }} by {{ product.brand }}"},
        ),
    ):
        layer = make_layer(workplace, OWNER, LayerWish("hagglet", topic, topic, before))
        with workplace.database.writing() as session:
            ids = session.scalars(
                select(Listing.id).where(Listing.channel_id == 2).limit(LAYERED)
            ).all()
            rows = [
                {"listing_id": listing_id, "topic": topic, "layer_id": layer} for listing_id in ids
            ]
            session.execute(insert(ListingLayer), rows)
        start = perf_counter()
        impact = impact_of_layer(workplace, layer, after)
        found[topic] = {
            "listings": impact.listings,
            "changed": impact.changed,
            "seconds": round(perf_counter() - start, 2),
        }
    return found


def _pages(workplace) -> dict[str, object]:
    app = make_application(workplace.settings, workplace)
    with TestClient(app) as client:
        client.post("/sign-in", data={"login": "owner", "password": "a good password"})
        found: dict[str, object] = {
            "empty page": figures(timed(lambda: client.get("/healthz"), TIMES))
        }
        for name, path in PAGES.items():
            assert client.get(path).status_code == 200, path
            found[name] = figures(timed(lambda path=path: client.get(path), TIMES))
    return found


if __name__ == "__main__":
    main()
