"""Quantities of 100,000 SKUs with 10,000 kits on 6 channels: all at once, and after the change of
one.

Floor: the same arithmetic on numpy arrays that are in memory already; and a plain loop over them.
"""

import random
import statistics
from decimal import Decimal
from time import perf_counter

from ground import OWNER, figures, new_workplace, report, temporary, timed
from relvan.core.catalogue.kits import PartStock, can_be_made
from relvan.core.stock.availability import StockBalance, StockPolicy, shown_quantity
from relvan.core.stock.whole import free_of_kits, free_over_all, shown_quantities
from relvan.services.listings.quantities import refresh_quantities
from relvan.services.stock.move import MoveStock, move_stock
from relvan.store.tables import Channel, Listing, SupplyWarehouse
from shop import add_pot

SKUS, KITS, PLACES, MOST, ROUNDS = 100_000, 10_000, 3, 999, 7
POLICIES = [
    StockPolicy(),
    StockPolicy(Decimal(60), 1, 5, 2),
    StockPolicy(cap=20),
    StockPolicy(hold_back=3),
    StockPolicy(fixed=8),
    StockPolicy(Decimal("33.3"), least=2),
]


def main() -> None:
    """Measures our figures and the floors, checks that all agree, and prints them."""
    dice = random.Random(11)
    free = [[dice.randint(0, 60) for _ in range(SKUS)] for _ in range(PLACES)]
    parts = [
        [(part, dice.randint(1, 3)) for part in dice.sample(range(SKUS), 4)] for _ in range(KITS)
    ]
    supply = [(0, 1), (0, 1, 2), (1,), (2, 0), (0,), (1, 2)]
    rounds = [(ours(free, parts, supply), numpy_floor(free, parts, supply)) for _ in range(ROUNDS)]
    assert all(found == expected for (_, found), (_, expected) in rounds)
    taken, floor = (
        statistics.median(seconds)
        for seconds in zip(*[(mine, plain) for (mine, _), (plain, _) in rounds], strict=True)
    )
    balances = [StockBalance("Millrace", 14, 3, 0, 2), StockBalance("Yard", 6, 0, 1)]
    stocked = [PartStock(str(n), 2, {1: balances[0], 2: balances[1]}) for n in range(4)]

    def one() -> None:
        held = list(can_be_made(stocked, {1: "Millrace", 2: "Yard"}, apart=False).values())
        for policy in POLICIES:
            shown_quantity(balances, policy, MOST)
            shown_quantity(held, policy, MOST)

    rules = figures(timed(one, 2_000))
    report(
        "availability",
        {
            "skus": SKUS,
            "kits": KITS,
            "channels": len(POLICIES),
            "whole_ms": round(taken * 1000),
            "floor_numpy_ms": round(floor * 1000, 1),
            "ratio": round(taken / floor, 1),
            "target_ratio": 3,
            "one_change_rules_with_whys": rules,
            "one_change_in_the_store": in_the_store(),
            "target_one_ms": 3,
        },
    )


def ours(
    free: list[list[int]], parts: list[list[tuple[int, int]]], supply: list[tuple[int, ...]]
) -> tuple[float, list[list[int]]]:
    """Returns the seconds that our rules take for all products and channels, and the quantities."""
    start = perf_counter()
    kits = free_of_kits(parts, free)
    whole = [held + made for held, made in zip(free, kits, strict=True)]
    found = [
        shown_quantities(free_over_all([whole[place] for place in places]), policy, MOST)
        for policy, places in zip(POLICIES, supply, strict=True)
    ]
    return perf_counter() - start, found


def numpy_floor(
    free: list[list[int]], parts: list[list[tuple[int, int]]], supply: list[tuple[int, ...]]
) -> tuple[float, list[list[int]]]:
    """Returns the seconds that the arithmetic alone takes on arrays, and its result."""
    import numpy as np

    arrays = np.array(free, dtype=np.int64)
    which = np.array([[part for part, _ in held] for held in parts])
    units = np.array([[count for _, count in held] for held in parts])
    start = perf_counter()
    kits = (arrays[:, which] // units).min(axis=2)
    whole = np.concatenate([arrays, kits], axis=1)
    found = []
    for policy, places in zip(POLICIES, supply, strict=True):
        sums = whole[list(places)].sum(axis=0)
        if policy.fixed is not None:
            found.append(np.minimum(np.minimum(sums, policy.fixed), MOST))
            continue
        over, under = (policy.share / 100).as_integer_ratio()
        shown = sums * over // under - policy.hold_back
        shown = np.maximum(np.minimum(shown, MOST if policy.cap is None else policy.cap), 0)
        found.append(np.minimum(np.where(shown < policy.least, 0, shown), MOST))
    taken = perf_counter() - start
    return taken, [column.tolist() for column in found]


def in_the_store() -> dict[str, float]:
    """Returns figures of working out one product on six channels anew, from the database and back
    into it, without the commit.
    """
    with temporary() as folder:
        workplace = new_workplace(folder)
        add_pot(workplace, "PT-14", units=0)
        move_stock(workplace, OWNER, MoveStock("PT-14", "millrace", "receipt", change=500))
        now = workplace.now()
        with workplace.database.writing() as session:
            for number in range(6):
                key = f"hagglet{number}"
                channel = Channel(
                    key=key,
                    name=key,
                    rulebook="hagglet",
                    currency="EUR",
                    address="",
                    token="",
                    price_list_id=1,
                )
                session.add(channel)
                session.flush()
                session.add(SupplyWarehouse(channel_id=channel.id, warehouse_id=1, position=0))
                session.add(
                    Listing(
                        channel_id=channel.id,
                        product_id=1,
                        placed=True,
                        shown=True,
                        wish="live",
                        ref=f"R{number}",
                        created_at=now,
                        changed_at=now,
                    )
                )
        with workplace.database.writing() as session:
            refresh_quantities(session, workplace, product_ids=[1])
            found = figures(
                timed(lambda: refresh_quantities(session, workplace, product_ids=[1]), 60)
            )
        workplace.close()
    return found


if __name__ == "__main__":
    main()
