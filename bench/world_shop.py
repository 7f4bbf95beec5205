"""The shop that `bench_world` sells from: its goods, its listings, and what it sold before."""

import heapq
import os
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import insert, select, text, update

from ground import OWNER, add_channels
from relvan.core.catalogue.product import Part, ProductDraft, ProductKind
from relvan.demo.scale import add_many
from relvan.services.catalogue.save import create_product
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Workplace
from relvan.store.tables import (
    KitPart,
    Listing,
    Order,
    OrderLine,
    OutboxEntry,
    Product,
    SkuName,
)
from world_model import KEYS, Channel, Tally, Wish, demand

HOURS = float(os.environ.get("RELVAN_BENCH_HOURS", "1"))


SKUS, KITS, ALIASES, HOT, SCARCE, SEED = 2_000, 150, 100, 60, 3, 17


SALES_AN_HOUR = 1_200


E_RISK = 0.01


START = datetime(2026, 11, 2, 8, tzinfo=UTC)


@dataclass
class Run:
    """One run of the product over the demand."""

    workplace: Workplace
    channels: dict[str, Channel]
    ids: dict[str, int]
    products: dict[str, int]
    time: float = 0.0
    tally: Tally = field(default_factory=Tally)
    queue: list[tuple[float, int, str, Any]] = field(default_factory=list)
    count: int = 0
    delivering: set[str] = field(default_factory=set)
    dead_until: float = 0.0
    kills: int = 0
    read: dict[str, int] = field(default_factory=dict)
    looked: dict[str, float] = field(default_factory=dict)

    def plan(self, when: float, what: str, which: Any = None) -> None:
        """Plans something for later; of two things at the same time the one that was planned first
        comes first.
        """
        self.count += 1
        heapq.heappush(self.queue, (when, self.count, what, which))

    def wake(self, key: str) -> None:
        """Plans a delivery at once, unless one is under way."""
        if key not in self.delivering:
            self.delivering.add(key)
            self.plan(self.time + 0.02, "deliver", key)


def furnish(workplace: Workplace, policy: Mapping[str, Any]) -> Run:
    """Returns a run with 2,000 SKUs, kits and aliases that are listed on all four channels, and
    with the sales of the four weeks before.
    """
    add_many(workplace.database, SKUS)
    dice = random.Random(SEED)
    with workplace.database.reading() as session:
        skus = list(session.scalars(select(Product.sku).order_by(Product.id)))
    _add_kits(workplace, skus, dice)
    with workplace.database.writing() as session:
        session.execute(
            insert(SkuName),
            [
                {"key": f"alias-{n}", "sku": f"ALIAS-{n}", "alias": True, "product_id": n + 1}
                for n in range(ALIASES)
            ],
        )
        for product in range(1, HOT * SCARCE + 1):  # what everybody wants is nearly gone
            few = {"p": product, "n": dice.randint(1, 9)}
            for table, column in (
                ("balance", "on_hand"),
                ("bin_balance", "on_hand"),
                ("movement", "on_hand"),
            ):
                session.execute(
                    text(f"UPDATE {table} SET {column} = :n WHERE product_id = :p"), few
                )
        ids = add_channels(session, KEYS, policy)
        sold = list(session.scalars(select(Product.id).order_by(Product.id)))
        session.execute(
            insert(Listing), [_listing(workplace, c, p, "") for c in ids.values() for p in sold]
        )
        session.execute(
            insert(Listing),
            [
                _listing(workplace, c, n + 1, f"ALIAS-{n}")
                for c in ids.values()
                for n in range(ALIASES)
            ],
        )
        _sold_before(session, workplace, list(ids.values()), sold)
    return _open(workplace, ids)


def _add_kits(workplace: Workplace, skus: Sequence[str], dice: random.Random) -> None:
    first = {"weight_g": 400, "category": "Pots"}
    for number in range(KITS):
        parts = tuple(Part(sku, dice.choice((1, 1, 2))) for sku in dice.sample(skus[: HOT * 4], 2))
        draft = ProductDraft(
            sku=f"KIT-{number}",
            title=f"Kit {number}",
            kind=ProductKind.KIT,
            parts=parts,
            prices={"retail": 2000},
            **first,
        )
        create_product(workplace, OWNER, draft)


def _open(workplace: Workplace, ids: dict[str, int]) -> Run:
    with workplace.database.writing() as session:
        refresh_listings(session, workplace, listing_ids=list(session.scalars(select(Listing.id))))
        session.execute(
            update(Listing).values(sent_quantity=Listing.quantity, sent_price=Listing.price)
        )
        session.query(OutboxEntry).delete()
        rows = session.execute(
            select(
                Listing.channel_id, Listing.ref, Listing.quantity, Listing.product_id, Product.sku
            ).join(Product, Product.id == Listing.product_id)
        ).all()
    run = Run(workplace, {}, ids, {ref: product for _, ref, _, product, _ in rows})

    def spend(seconds: float) -> None:
        run.time += seconds

    for key, channel_id in ids.items():
        channel = Channel(
            key, lambda: run.time, workplace.now, random.Random(f"{SEED} {key}"), spend
        )
        channel.shown = {ref: quantity for c, ref, quantity, _, _ in rows if c == channel_id}
        channel.lines = {ref: sku for c, ref, _, _, sku in rows if c == channel_id}
        run.channels[key] = channel
    workplace.gateway = lambda row: run.channels[row.key]  # type: ignore[method-assign, assignment, return-value]
    return run


def _listing(workplace: Workplace, channel_id: int, product_id: int, alias: str) -> dict[str, Any]:
    now = workplace.now()
    return {
        "channel_id": channel_id,
        "product_id": product_id,
        "alias": alias,
        "own": {},
        "refusal": [],
        "gaps": [],
        "placed": True,
        "shown": True,
        "wish": "live",
        "ref": alias or f"P-{product_id}",
        "created_at": now,
        "changed_at": now,
    }


def rates(workplace: Workplace) -> tuple[list[str], list[float]]:
    """Returns every listing's reference and its sales an hour on each channel; hot items, kits and
    aliases sell more.
    """
    with workplace.database.reading() as session:
        kinds = session.execute(select(Product.id, Product.kind).order_by(Product.id)).all()
    weights = {
        f"P-{key}": 30.0 if key <= HOT else 6.0 if kind == "kit" else 0.4 for key, kind in kinds
    }
    weights |= {f"ALIAS-{n}": 8.0 for n in range(ALIASES)}
    whole = sum(weights.values()) * len(KEYS)
    return list(weights), [SALES_AN_HOUR * weight / whole for weight in weights.values()]


def wishes(workplace: Workplace) -> list[Wish]:
    """Returns the demand, which is the same in every run."""
    return demand(*rates(workplace), HOURS, SEED)


def _sold_before(
    session: Any, workplace: Workplace, ids: Sequence[int], products: Sequence[int]
) -> None:
    """Writes four weeks of sales at the same pace on every channel, so that the pace is known."""
    session.flush()
    refs, paces = rates(workplace)
    parts: dict[int, list[tuple[int, int]]] = {}
    for kit, part, units in session.execute(
        select(KitPart.kit_id, KitPart.part_id, KitPart.quantity)
    ).all():
        parts.setdefault(kit, []).append((part, units))
    sold: dict[int, float] = {}
    for ref, pace in zip(refs, paces, strict=True):
        product = int(ref.split("-")[1]) + (1 if ref.startswith("ALIAS") else 0)
        for part, units in parts.get(product, [(product, 1)]):
            sold[part] = sold.get(part, 0.0) + pace * len(KEYS) * 1.4 * units * 24 * 28
    for place, channel_id in enumerate(ids):
        order = Order(
            number=f"B-{place}",
            tray="closed",
            currency="EUR",
            customer="Before",
            total=0,
            paid=0,
            units=1,
            ship_to={},
            placed_at=START,
            taken_at=START,
            channel_id=channel_id,
        )
        session.add(order)
        session.flush()
        session.execute(
            insert(OrderLine),
            [
                {
                    "order_id": order.id,
                    "position": 1,
                    "sku": "x",
                    "title": "x",
                    "product_id": product,
                    "unit_price": 0,
                    "quantity": max(1, round(units / len(ids))),
                    "picked": 0,
                    "shipped": 0,
                    "stocked": False,
                }
                for product, units in sold.items()
                if product in set(products)
            ],
        )
