"""A seller's day in virtual time: four channels, 2,000 pooled SKUs with kits and aliases, Poisson
demand with hot items, changing weather, a worker that is killed now and then. Orders, stock, outbox
and deliveries are the product's own.

The same demand and weather run with no hold-back, a fixed one, and one by risk, and with a naive
seller beside them, who looks at every channel in turn every five minutes, takes its orders and
tells it what is left.

    relvan bench bench_world            one hour of it, some minutes
    RELVAN_BENCH_HOURS=0.2 relvan bench bench_world
"""

import heapq
import random
import time
from collections.abc import Mapping
from typing import Any

from sqlalchemy import func, select

from ground import new_workplace, report, temporary
from relvan.core.channels.pulse import percentile
from relvan.services.check import check
from relvan.services.listings.hold_backs import mind_silence
from relvan.services.orders.read import read_orders
from relvan.services.outbox.deliver import deliver_next, reclaim
from relvan.store.holdings import load_holdings
from relvan.store.tables import Channel as ChannelRow
from relvan.store.tables import (
    LagSample,
    Listing,
    Order,
    OutboxEntry,
    Oversale,
)
from world_model import KEYS, Tally, Weather, Wish, WorkerKilled, at, weather
from world_shop import ALIASES, E_RISK, HOURS, KITS, SEED, SKUS, START, Run, furnish, wishes

KILLS_EVERY_S, DEAD_S = 1_500.0, 20.0
POLL_S = {
    "corvello": 1.0,
    "hagglet": 0.5,
    "loomstead": 0.5,
    "ownshop": 0.4,
}  # the own shop tells by webhook
POLICIES = {"none": {}, "fixed": {"hold_back": 2}, "by risk": {"risk": str(E_RISK)}}
NAIVE_S, MIND_S, LOOK_S = 300.0, 5.0, 4.0


def main() -> None:
    """Runs the same demand four times and prints the results side by side."""
    found = {}
    for name, policy in POLICIES.items():
        found[name] = product_run(policy)
    found["naive, every 5 minutes"] = naive_run()
    worst = found["by risk"]["oversold_sales"] / max(1, found["by risk"]["sales"])
    report(
        "world",
        {
            "hours": HOURS,
            "skus": SKUS,
            "kits": KITS,
            "aliases": ALIASES,
            "risk_e": E_RISK,
            "oversold_share_by_risk": round(worst, 5),
            "runs": found,
        },
    )


def product_run(policy: Mapping[str, Any]) -> dict[str, Any]:
    """Runs the product over the demand once."""
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
        workplace.wake = lambda what, which: run.wake(
            next(k for k, v in run.ids.items() if v == which)
        )
        live(run)
        calm_down(run)
        return {**outcome(run), "real_seconds": round(time.perf_counter() - began)}


def live(run: Run) -> None:
    """Lets things happen until the last of the demand has come."""
    while run.queue and run.queue[0][0] < HOURS * 3600:
        step(run)


def calm_down(run: Run) -> None:
    """Keeps the weather calm until nothing waits any more."""
    for channel in run.channels.values():
        channel.kind = "calm"
    until = HOURS * 3600 + 1_800
    while run.queue and run.queue[0][0] < until:
        if run.queue[0][2] in ("kill", "weather", "sell"):
            heapq.heappop(run.queue)
        else:
            step(run)


def step(run: Run) -> None:
    """Lets the next planned thing happen."""
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
    """Does what the worker does: it reads the orders of a channel, or delivers to it. Each call
    takes its time, and the channels are served side by side.
    """
    before = run.time
    try:
        if what == "poll":
            there = len(
                run.channels[key].orders
            )  # a look that finds nothing new is made only now and then
            if run.read.get(key) != there or run.time - run.looked.get(key, -LOOK_S) >= LOOK_S:
                run.looked[key] = run.time
                read_orders(run.workplace, run.ids[key])
                with run.workplace.database.reading() as session:
                    run.read[key] = session.get_one(ChannelRow, run.ids[key]).order_mark
            run.plan(run.time + POLL_S[key], "poll", key)
        else:
            delivery = deliver_next(run.workplace, run.ids[key], "bench")
            if delivery.sent or delivery.wait_s is not None:
                run.plan(
                    run.time + (0.01 if delivery.sent else max(0.05, delivery.wait_s or 0.05)),
                    "deliver",
                    key,
                )
            else:
                run.delivering.discard(key)
    except WorkerKilled:
        run.kills += 1
        run.dead_until = run.time + DEAD_S
        reclaim(run.workplace, "bench")
        run.plan(run.dead_until, what, key)
    run.time = before  # other channels did not wait for it


def sell(run: Run, wish: Wish) -> None:
    """Lets a visitor come to a channel."""
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
    """Returns the results of the run; every promise is checked."""
    workplace = run.workplace
    assert check(workplace.database) == []
    with workplace.database.reading() as session:
        lags = sorted(session.scalars(select(LagSample.seconds)))
        orders = (
            session.scalar(select(func.count()).select_from(Order).where(Order.channel_mark > 0))
            or 0
        )
        over = session.execute(
            select(func.count(func.distinct(Oversale.order_id)), func.sum(Oversale.units))
        ).one()
        told = (
            session.scalar(
                select(func.count()).where(
                    OutboxEntry.topic == "quantity", OutboxEntry.state == "accepted"
                )
            )
            or 0
        )
        waiting = (
            session.scalar(
                select(func.count()).where(OutboxEntry.state.in_(("waiting", "sending")))
            )
            or 0
        )
        rows = session.execute(
            select(ChannelRow.key, Listing.ref, Listing.quantity).join(ChannelRow)
        ).all()
    assert orders == run.tally.sales, "every sale came in once"
    for channel in run.channels.values():
        channel.settle()
    differing = sum(run.channels[key].shown[ref] != quantity for key, ref, quantity in rows)
    return {
        "sales": run.tally.sales,
        "units": run.tally.units,
        "oversold_sales": over[0],
        "oversold_units": over[1] or 0,
        "refused_though_there": run.tally.refused_held_back,
        "refused_sold_out": run.tally.refused_sold_out,
        "lag_s": {f"p{share}": round(percentile(lags, share / 100), 2) for share in (50, 95, 99)},
        "updates_per_sale": round(told / max(1, run.tally.sales), 2),
        "worker_killed": run.kills,
        "still_waiting": waiting,
        "quantities_that_differ_at_the_end": differing,
    }


def _naive_start() -> tuple[Run, dict[int, Mapping[int, int]], dict[int, int], list[Wish]]:
    """Returns what each product is made of, what lies there of every part, and what is wanted, as
    the shop starts.
    """
    with temporary() as folder:
        workplace = new_workplace(folder)
        run = furnish(workplace, {})
        with workplace.database.reading() as session:
            holdings = load_holdings(session, sorted(set(run.products.values())))
        made_of = {
            product: holdings.leaves.get(product, {product: 1}) for product in run.products.values()
        }
        pool = {part: holdings.free(part) for units in made_of.values() for part in units}
        wanted = wishes(workplace)
        workplace.close()
    return run, made_of, pool, wanted


def naive_run() -> dict[str, Any]:
    """Runs a naive seller, for comparison: each channel has its turn every five minutes, when its
    orders are taken and it is told what is left.
    """
    run, made_of, pool, wanted = _naive_start()
    shown = {key: dict(channel.shown) for key, channel in run.channels.items()}
    new: dict[str, list[Wish]] = {key: [] for key in KEYS}
    true = dict(pool)
    tally, oversold_sales, oversold_units, told = Tally(), 0, 0, 0
    turns = sorted(
        (NAIVE_S * n + NAIVE_S * i / 4, key)
        for i, key in enumerate(KEYS)
        for n in range(int(HOURS * 12))
    )

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
        "sales": tally.sales,
        "units": tally.units,
        "oversold_sales": oversold_sales,
        "oversold_units": oversold_units,
        "refused_though_there": tally.refused_held_back,
        "refused_sold_out": tally.refused_sold_out,
        "lag_s": {"p50": NAIVE_S / 2, "p95": NAIVE_S, "p99": NAIVE_S},
        "updates_per_sale": round(told / max(1, tally.sales), 2),
    }


if __name__ == "__main__":
    main()
