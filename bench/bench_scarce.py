"""Measures how long it takes to choose who gets scarce goods, with its proof, against a floor that
serves the oldest first.

Five hundred contested orders of one or two of 60 goods, of which there is half of what is wanted; and
as many of up to five goods, which the solver does not always settle in its time.
"""

import json
import random
import time
from datetime import UTC, datetime, timedelta

from relvan.core.orders.scarce import ServeBy, WaitingOrder, choose_by_age, choose_served

ORDERS, GOODS = 500, 60
BEGAN = datetime(2026, 11, 1, tzinfo=UTC)


def contest(most: int, dice: random.Random) -> tuple[dict[str, int], list[WaitingOrder]]:
    """Return what is free and the orders that want it, of up to `most` goods each."""
    orders = []
    for at in range(ORDERS):
        goods = dice.sample(range(GOODS), dice.randint(1, most))
        units = {f"P{number}": dice.randint(1, 3) for number in goods}
        value = sum(units.values()) * dice.randint(500, 4_000)
        orders.append(WaitingOrder(str(at), BEGAN + timedelta(minutes=at), value, units))
    wanted: dict[str, int] = {}
    for order in orders:
        for product, count in order.units.items():
            wanted[product] = wanted.get(product, 0) + count
    return {product: count // 2 for product, count in wanted.items()}, orders


def main() -> None:
    """Print for each rule the seconds, how many orders are whole, and whether that is proven."""
    told = []
    for most in (2, 5):
        free, orders = contest(most, random.Random(most))
        began = time.perf_counter()
        choose_by_age(free, orders)
        floor = time.perf_counter() - began
        for by in (ServeBy.MOST, ServeBy.MONEY):
            began = time.perf_counter()
            found = choose_served(free, orders, by)
            told.append(
                {
                    "goods_at_most": most,
                    "by": str(by),
                    "seconds": round(time.perf_counter() - began, 2),
                    "floor_seconds": round(floor, 4),
                    "whole": len(found.whole),
                    "proven": found.exact,
                    "bound_over_reached": round(found.bound / found.reached, 4),
                }
            )
    print(json.dumps({"bench": "scarce", "orders": ORDERS, "choices": told}))


if __name__ == "__main__":
    main()
