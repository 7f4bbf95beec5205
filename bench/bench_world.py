"""A seller's day in virtual time: four channels, 2,000 pooled SKUs with kits and aliases, Poisson demand with hot
items, changing weather, a worker that is killed now and then. Orders, stock, outbox and deliveries are the product's
own.

The same demand and weather run with no hold-back, a fixed one, and one by risk, and with a naive seller beside them,
who looks at every channel in turn every five minutes, takes its orders and tells it what is left.

    relvan bench bench_world            one hour of it, some minutes
    RELVAN_BENCH_HOURS=0.2 relvan bench bench_world
"""

import heapq
import os
import random
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, insert, select, text, update

from ground import OWNER, new_workplace, report, temporary
from relvan.core.catalogue.product import Part, ProductDraft, ProductKind
from relvan.core.channels.pulse import percentile
from relvan.demo.scale import add_many
from relvan.services.catalogue.save import create_product
from relvan.services.check import check
from relvan.services.listings.refresh import refresh_listings
from relvan.services.orders.read import read_orders
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.services.stock.hold_backs import mind_silence
from relvan.services.workplace import Workplace
from relvan.store.holdings import load_holdings
from relvan.store.tables import Channel as ChannelRow
from relvan.store.tables import (
    KitPart,
    LagSample,
    Listing,
    Order,
    OrderLine,
    OutboxEntry,
    Oversale,
    Product,
    SkuName,
    SupplyWarehouse,
)
from world_model import KEYS, Channel, Tally, Weather, Wish, WorkerKilled, at, demand, weather

HOURS = float(os.environ.get("RELVAN_BENCH_HOURS", "1"))
SKUS, KITS, ALIASES, HOT, SCARCE, SEED = 2_000, 150, 100, 60, 3, 17
SALES_AN_HOUR = 1_200
KILLS_EVERY_S, DEAD_S = 1_500.0, 20.0
POLL_S = {"corvello": 1.0, "hagglet": 0.5, "loomstead": 0.5, "ownshop": 0.4}  # the own shop tells by webhook
E_RISK = 0.01
POLICIES = {"none": {}, "fixed": {"hold_back": 2}, "by risk": {"risk": str(E_RISK)}}
START = datetime(2026, 11, 2, 8, tzinfo=UTC)
NAIVE_S, MIND_S, LOOK_S = 300.0, 5.0, 4.0


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
        """Let something happen later; what is planned first comes first."""
        self.count += 1
        heapq.heappush(self.queue, (when, self.count, what, which))

    def wake(self, key: str) -> None:
        """A delivery is to be made at once, unless one is under way."""
        if key not in self.delivering:
            self.delivering.add(key)
            self.plan(self.time + 0.02, "deliver", key)


def main() -> None:
    """Run the same demand four times, print them side by side."""
    found = {}
    for name, policy in POLICIES.items():
        found[name] = product_run(policy)
    found["naive, every 5 minutes"] = naive_run()
    worst = found["by risk"]["oversold_sales"] / max(1, found["by risk"]["sales"])
    report("world", {
        "hours": HOURS, "skus": SKUS, "kits": KITS, "aliases": ALIASES, "risk_e": E_RISK,
        "oversold_share_by_risk": round(worst, 5), "runs": found,
    })  # fmt: skip


def product_run(policy: Mapping[str, Any]) -> dict[str, Any]:
    """One run of the product."""
    began = time.perf_counter()
    with temporary() as folder:
        clock: list[Run] = []
        workplace = new_workplace(folder, clock=lambda: at(START, clock[0].time if clock else 0.0))
        workplace.chance = random.Random(SEED).random
        run = furnish(workplace, policy)
        clock.append(run)
        for wish in wishes(workplace):
            run.plan(wish.at, "sell", wish)
        for change in weather(HOURS, SEED):
            run.plan(change.at, "weather", change)
        dice = random.Random(SEED + 1)
        moment = 0.0
        while (moment := moment + dice.expovariate(1 / KILLS_EVERY_S)) < HOURS * 3600:
            run.plan(moment, "kill")
        for key in KEYS:
            run.plan(POLL_S[key] * dice.random(), "poll", key)
        run.plan(MIND_S, "mind")
        workplace.wake = lambda what, which: run.wake(next(k for k, v in run.ids.items() if v == which))
        live(run)
        calm_down(run)
        return {**outcome(run), "real_seconds": round(time.perf_counter() - began)}


def live(run: Run) -> None:
    """Until the last of the demand has come."""
    while run.queue and run.queue[0][0] < HOURS * 3600:
        step(run)


def calm_down(run: Run) -> None:
    """Calm weather until nothing waits any more."""
    for channel in run.channels.values():
        channel.kind = "calm"
    until = HOURS * 3600 + 1_800
    while run.queue and run.queue[0][0] < until:
        if run.queue[0][2] in ("kill", "weather", "sell"):
            heapq.heappop(run.queue)
        else:
            step(run)


def step(run: Run) -> None:
    """The next thing that happens."""
    when, _, what, which = heapq.heappop(run.queue)
    run.time = max(run.time, when)
    if what == "sell":
        sell(run, which)
    elif what == "weather":
        assert isinstance(which, Weather)
        run.channels[which.channel].kind = which.kind
    elif what == "kill":
        run.channels[random.Random(run.count).choice(KEYS)].killing = True
    elif run.time < run.dead_until:
        run.plan(run.dead_until + 0.1, what, which)
    elif what == "mind":
        mind_silence(run.workplace)
        run.plan(run.time + MIND_S, what)
    else:
        work(run, what, which)


def work(run: Run, what: str, key: str) -> None:
    """What the worker does: read the orders of a channel, or deliver to it. Each call takes its time, and the channels
    are served side by side."""
    before = run.time
    try:
        if what == "poll":
            there = len(run.channels[key].orders)  # a look that finds nothing new is made only now and then
            if run.read.get(key) != there or run.time - run.looked.get(key, -LOOK_S) >= LOOK_S:
                run.looked[key] = run.time
                read_orders(run.workplace, run.ids[key])
                with run.workplace.database.reading() as session:
                    run.read[key] = session.get_one(ChannelRow, run.ids[key]).order_mark
            run.plan(run.time + POLL_S[key], "poll", key)
        else:
            delivery = deliver_next(run.workplace, run.ids[key], "bench")
            if delivery.sent or delivery.wait_s is not None:
                run.plan(run.time + (0.01 if delivery.sent else max(0.05, delivery.wait_s or 0.05)), "deliver", key)
            else:
                run.delivering.discard(key)
    except WorkerKilled:
        run.kills += 1
        run.dead_until = run.time + DEAD_S
        reclaim(run.workplace, "bench")
        run.plan(run.dead_until, what, key)
    run.time = before  # other channels did not wait for it


def sell(run: Run, wish: Wish) -> None:
    """A visitor comes."""
    if run.channels[wish.channel].sell(wish):
        run.tally.sales += 1
        run.tally.units += wish.units
        return
    with run.workplace.database.reading() as session:
        free = load_holdings(session, [run.products[wish.ref]]).free(run.products[wish.ref])
    if free >= wish.units:
        run.tally.refused_held_back += 1
    else:
        run.tally.refused_sold_out += 1


def outcome(run: Run) -> dict[str, Any]:
    """What the run came to; every promise is checked."""
    workplace = run.workplace
    assert check(workplace.database) == []
    with workplace.database.reading() as session:
        lags = sorted(session.scalars(select(LagSample.seconds)))
        orders = session.scalar(select(func.count()).select_from(Order).where(Order.channel_mark > 0)) or 0
        over = session.execute(select(func.count(func.distinct(Oversale.order_id)), func.sum(Oversale.units))).one()
        told = session.scalar(
            select(func.count()).where(OutboxEntry.topic == "quantity", OutboxEntry.state == "accepted")
        ) or 0  # fmt: skip
        waiting = session.scalar(select(func.count()).where(OutboxEntry.state.in_(("waiting", "sending")))) or 0
        rows = session.execute(select(ChannelRow.key, Listing.ref, Listing.quantity).join(ChannelRow)).all()
    assert orders == run.tally.sales, "every sale came in once"
    for channel in run.channels.values():
        channel.settle()
    differing = sum(run.channels[key].shown[ref] != quantity for key, ref, quantity in rows)
    return {
        "sales": run.tally.sales, "units": run.tally.units, "oversold_sales": over[0], "oversold_units": over[1] or 0,
        "refused_though_there": run.tally.refused_held_back, "refused_sold_out": run.tally.refused_sold_out,
        "lag_s": {f"p{share}": round(percentile(lags, share / 100), 2) for share in (50, 95, 99)},
        "updates_per_sale": round(told / max(1, run.tally.sales), 2), "worker_killed": run.kills,
        "still_waiting": waiting, "quantities_that_differ_at_the_end": differing,
    }  # fmt: skip


def furnish(workplace: Workplace, policy: Mapping[str, Any]) -> Run:
    """2,000 SKUs, kits and aliases, listed on all four channels; what sold in the four weeks before."""
    add_many(workplace.database, SKUS)
    first = {"weight_g": 400, "category": "Pots"}
    dice = random.Random(SEED)
    with workplace.database.reading() as session:
        skus = list(session.scalars(select(Product.sku).order_by(Product.id)))
    for number in range(KITS):
        parts = tuple(Part(sku, dice.choice((1, 1, 2))) for sku in dice.sample(skus[: HOT * 4], 2))
        draft = ProductDraft(sku=f"KIT-{number}", title=f"Kit {number}", kind=ProductKind.KIT, parts=parts,
                             prices={"retail": 2000}, **first)  # fmt: skip
        create_product(workplace, OWNER, draft)
    with workplace.database.writing() as session:
        session.execute(insert(SkuName), [
            {"key": f"alias-{n}", "sku": f"ALIAS-{n}", "alias": True, "product_id": n + 1} for n in range(ALIASES)
        ])  # fmt: skip
        for product in range(1, HOT * SCARCE + 1):  # what everybody wants is nearly gone
            few = {"p": product, "n": dice.randint(1, 9)}
            for table, column in (("balance", "on_hand"), ("bin_balance", "on_hand"), ("movement", "on_hand")):
                session.execute(text(f"UPDATE {table} SET {column} = :n WHERE product_id = :p"), few)
        for key in KEYS:
            session.add(ChannelRow(key=key, name=key, rulebook=key, currency="EUR", address="", token="",
                                   price_list_id=1, stock_policy=dict(policy)))  # fmt: skip
        session.flush()
        ids = {row.key: row.id for row in session.scalars(select(ChannelRow))}
        for channel_id in ids.values():
            session.add(SupplyWarehouse(channel_id=channel_id, warehouse_id=1, position=0))
        sold = list(session.scalars(select(Product.id).order_by(Product.id)))
        session.execute(insert(Listing), [_listing(workplace, c, p, "") for c in ids.values() for p in sold])
        session.execute(insert(Listing), [
            _listing(workplace, c, n + 1, f"ALIAS-{n}") for c in ids.values() for n in range(ALIASES)
        ])  # fmt: skip
        _sold_before(session, workplace, list(ids.values()), sold)
    return _open(workplace, ids)


def _open(workplace: Workplace, ids: dict[str, int]) -> Run:
    with workplace.database.writing() as session:
        refresh_listings(session, workplace, listing_ids=list(session.scalars(select(Listing.id))))
        session.execute(update(Listing).values(sent_quantity=Listing.quantity, sent_price=Listing.price))
        session.query(OutboxEntry).delete()
        rows = session.execute(
            select(Listing.channel_id, Listing.ref, Listing.quantity, Listing.product_id, Product.sku)
            .join(Product, Product.id == Listing.product_id)
        ).all()  # fmt: skip
    run = Run(workplace, {}, ids, {ref: product for _, ref, _, product, _ in rows})

    def spend(seconds: float) -> None:
        run.time += seconds

    for key, channel_id in ids.items():
        channel = Channel(key, lambda: run.time, workplace.now, random.Random(f"{SEED} {key}"), spend)
        channel.shown = {ref: quantity for c, ref, quantity, _, _ in rows if c == channel_id}
        channel.lines = {ref: sku for c, ref, _, _, sku in rows if c == channel_id}
        run.channels[key] = channel
    workplace.gateway = lambda row: run.channels[row.key]  # type: ignore[method-assign, assignment, return-value]
    return run


def _listing(workplace: Workplace, channel_id: int, product_id: int, alias: str) -> dict[str, Any]:
    now = workplace.now()
    return {
        "channel_id": channel_id, "product_id": product_id, "alias": alias, "own": {}, "refusal": [], "gaps": [],
        "placed": True, "shown": True, "wish": "live", "ref": alias or f"P-{product_id}", "created_at": now,
        "changed_at": now,
    }  # fmt: skip


def rates(workplace: Workplace) -> tuple[list[str], list[float]]:
    """Every listing's reference, and its sales an hour on each channel: hot items, kits and aliases more."""
    with workplace.database.reading() as session:
        kinds = session.execute(select(Product.id, Product.kind).order_by(Product.id)).all()
    weights = {f"P-{key}": 30.0 if key <= HOT else 6.0 if kind == "kit" else 0.4 for key, kind in kinds}
    weights |= {f"ALIAS-{n}": 8.0 for n in range(ALIASES)}
    whole = sum(weights.values()) * len(KEYS)
    return list(weights), [SALES_AN_HOUR * weight / whole for weight in weights.values()]


def wishes(workplace: Workplace) -> list[Wish]:
    """The demand; the same in every run."""
    return demand(*rates(workplace), HOURS, SEED)


def _sold_before(session: Any, workplace: Workplace, ids: Sequence[int], products: Sequence[int]) -> None:
    """Four weeks of sales at the same pace on every channel, so that the pace is known."""
    session.flush()
    refs, paces = rates(workplace)
    parts: dict[int, list[tuple[int, int]]] = {}
    for kit, part, units in session.execute(select(KitPart.kit_id, KitPart.part_id, KitPart.quantity)).all():
        parts.setdefault(kit, []).append((part, units))
    sold: dict[int, float] = {}
    for ref, pace in zip(refs, paces, strict=True):
        product = int(ref.split("-")[1]) + (1 if ref.startswith("ALIAS") else 0)
        for part, units in parts.get(product, [(product, 1)]):
            sold[part] = sold.get(part, 0.0) + pace * len(KEYS) * 1.4 * units * 24 * 28
    for place, channel_id in enumerate(ids):
        order = Order(number=f"B-{place}", tray="closed", currency="EUR", customer="Before", total=0, paid=0, units=1,
                      ship_to={}, placed_at=START, taken_at=START, channel_id=channel_id)  # fmt: skip
        session.add(order)
        session.flush()
        session.execute(insert(OrderLine), [
            {"order_id": order.id, "position": 1, "sku": "x", "title": "x", "product_id": product, "unit_price": 0,
             "quantity": max(1, round(units / len(ids))), "picked": 0, "shipped": 0, "stocked": False}
            for product, units in sold.items() if product in set(products)
        ])  # fmt: skip


def naive_run() -> dict[str, Any]:
    """The naive seller: each channel's turn comes every five minutes; its orders are taken, it is told what is left."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        run = furnish(workplace, {})
        with workplace.database.reading() as session:
            holdings = load_holdings(session, sorted(set(run.products.values())))
        made_of = {product: holdings.leaves.get(product, {product: 1}) for product in run.products.values()}
        pool = {part: holdings.free(part) for units in made_of.values() for part in units}
        wanted = wishes(workplace)
        workplace.close()
    shown = {key: dict(channel.shown) for key, channel in run.channels.items()}
    new: dict[str, list[Wish]] = {key: [] for key in KEYS}
    true = dict(pool)
    tally, oversold_sales, oversold_units, told = Tally(), 0, 0, 0
    turns = sorted((NAIVE_S * n + NAIVE_S * i / 4, key) for i, key in enumerate(KEYS) for n in range(int(HOURS * 12)))

    def makes(stock: Mapping[int, int], product: int) -> int:
        return max(0, min(stock[part] // units for part, units in made_of[product].items()))

    for wish in wanted:
        while turns and turns[0][0] <= wish.at:
            _, key = turns.pop(0)
            for sale in new[key]:
                for part, units in made_of[run.products[sale.ref]].items():
                    pool[part] -= units * sale.units
            new[key] = []
            left = {ref: makes(pool, run.products[ref]) for ref in shown[key]}
            told += sum(left[ref] != shown[key][ref] for ref in left)
            shown[key] = left
        product = run.products[wish.ref]
        there = makes(true, product)
        if shown[wish.channel][wish.ref] < wish.units:
            tally.refused_held_back += there >= wish.units
            tally.refused_sold_out += there < wish.units
            continue
        shown[wish.channel][wish.ref] -= wish.units
        new[wish.channel].append(wish)
        tally.sales += 1
        tally.units += wish.units
        if there < wish.units:
            oversold_sales += 1
            oversold_units += wish.units - there
            continue
        for part, units in made_of[product].items():
            true[part] -= units * wish.units
    return {
        "sales": tally.sales, "units": tally.units, "oversold_sales": oversold_sales, "oversold_units": oversold_units,
        "refused_though_there": tally.refused_held_back, "refused_sold_out": tally.refused_sold_out,
        "lag_s": {"p50": NAIVE_S / 2, "p95": NAIVE_S, "p99": NAIVE_S},
        "updates_per_sale": round(told / max(1, tally.sales), 2),
    }  # fmt: skip


if __name__ == "__main__":
    main()
