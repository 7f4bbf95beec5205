"""Measures how fast orders are routed over warehouses exactly, against a floor that only looks whether
one warehouse has everything.

Ten thousand orders of 1 to 12 lines over 6 warehouses; every 50th choice is compared with an integer
programme that minimises what is missing and then the number of shipments.
"""

import json
import random
import time

from relvan.core.orders.routing import RoutePolicy, RouteRule, RouteSource, route
from relvan.core.solver import IntegerProblem, Limit, solve
from relvan.core.stock.reserving import Want

ORDERS, WAREHOUSES, PRODUCTS, COMPARED = 10_000, 6, 400, 50


def orders(dice: random.Random) -> list[list[Want]]:
    """Return orders of 1 to 12 lines."""
    made = []
    for _ in range(ORDERS):
        goods = dice.sample(range(PRODUCTS), dice.randint(1, 12))
        made.append([Want(at, product, dice.randint(1, 4)) for at, product in enumerate(goods)])
    return made


def free(dice: random.Random) -> dict[tuple[int, int], int]:
    """Return what is free: a third of the products is missing in each warehouse."""
    return {
        (product, warehouse): dice.randint(1, 6)
        for product in range(PRODUCTS)
        for warehouse in range(WAREHOUSES)
        if dice.random() > 0.35
    }


def whole(wants: list[Want], there: dict[tuple[int, int], int]) -> int | None:
    """Return the first warehouse that has everything: the floor of any routing."""
    for warehouse in range(WAREHOUSES):
        if all(there.get((want.product, warehouse), 0) >= want.quantity for want in wants):
            return warehouse
    return None


def best(wants: list[Want], there: dict[tuple[int, int], int], most: int) -> tuple[int, int]:
    """Return (units missing, shipments) of the best route, by an integer programme."""
    pairs = [
        (at, warehouse, min(want.quantity, there.get((want.product, warehouse), 0)))
        for at, want in enumerate(wants)
        for warehouse in range(WAREHOUSES)
    ]
    rows = [Limit(tuple((w, 1.0) for w in range(WAREHOUSES)), high=most)]
    for number, (_, warehouse, capacity) in enumerate(pairs, WAREHOUSES):
        rows.append(Limit(((number, 1.0), (warehouse, -float(capacity))), high=0))
    for at, want in enumerate(wants):
        terms = tuple(
            (number, 1.0) for number, pair in enumerate(pairs, WAREHOUSES) if pair[0] == at
        )
        rows.append(Limit(terms, high=want.quantity))
    gain = (-1.0,) * WAREHOUSES + (100.0,) * len(pairs)
    limits = (1,) * WAREHOUSES + tuple(capacity for _, _, capacity in pairs)
    found = solve(IntegerProblem(gain, limits, tuple(rows)))
    assert found is not None
    sent = sum(found.values[WAREHOUSES:])
    used = sum(1 for value in found.values[:WAREHOUSES] if value)
    return sum(want.quantity for want in wants) - sent, used


def main() -> None:
    """Print the seconds for all orders, the floor, and how many compared routes were worse."""
    dice = random.Random(20261130)
    asked, there = orders(dice), free(dice)
    sources = [RouteSource(warehouse) for warehouse in range(WAREHOUSES)]
    rule = RouteRule(RoutePolicy.SPLIT, 3)
    began = time.perf_counter()
    for wants in asked:
        whole(wants, there)
    floor = time.perf_counter() - began
    began = time.perf_counter()
    routes = [route(wants, there, sources, rule) for wants in asked]
    took = time.perf_counter() - began
    worse = 0
    for wants, found in list(zip(asked, routes, strict=True))[::COMPARED]:
        missing = sum(gone.quantity for gone in found.plan.missing)
        used = len({promise.warehouse for promise in found.plan.promises})
        worse += (missing, used) > best(wants, there, rule.most)
    print(
        json.dumps(
            {
                "bench": "routing",
                "orders": ORDERS,
                "seconds": round(took, 2),
                "floor_seconds": round(floor, 3),
                "compared": ORDERS // COMPARED,
                "worse_than_an_integer_programme": worse,
            }
        )
    )


if __name__ == "__main__":
    main()
