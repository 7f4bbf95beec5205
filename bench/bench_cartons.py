"""Cartons for orders of 2 to 40 items that turn freely: items of eight classes made by chance, as many
cartons as needed of one size.

Floor: one carton filled once with all items in the order of their size. Beside it stands what the same
search finds with twenty times the time.
"""

import random
from time import perf_counter

from ground import report
from relvan.core.packing.cartons import SECONDS, CartonKind, PackItem, choose_cartons

SIZES = (2, 5, 10, 20, 30, 40)
SIDE = 100


def item(dice: random.Random, kind: int) -> tuple[int, int, int]:
    """Return an item of one of eight kinds: long and flat ones, large ones, small ones, and a mixture."""
    ranges = {
        1: ((1, 50), (67, 100), (67, 100)),
        2: ((67, 100), (1, 50), (67, 100)),
        3: ((67, 100), (67, 100), (1, 50)),
        4: ((50, 100), (50, 100), (50, 100)),
        5: ((1, 50), (1, 50), (1, 50)),
        6: ((10, 100), (10, 100), (10, 100)),
        7: ((3, 87), (3, 87), (3, 87)),
        8: ((1, 100), (1, 100), (1, 100)),
    }[kind]
    return tuple(dice.randint(low, high) for low, high in ranges)  # type: ignore[return-value]


def main() -> None:
    """Choose cartons for all orders, and print times and costs."""
    dice = random.Random(7)
    carton = CartonKind("cube", (SIDE, SIDE, SIDE), 0, 1, 1)
    choose_cartons([PackItem("first", (1, 1, 1))], [carton])  # compiles what is not compiled yet
    times, floors, cost, long, bound = [], [], 0, 0, 0
    for kind in range(1, 9):
        for count in SIZES:
            items = [PackItem(str(at), item(dice, kind)) for at in range(count)]
            start = perf_counter()
            found = choose_cartons(items, [carton])
            times.append((perf_counter() - start) * 1000)
            cost, bound = cost + found.cost, bound + found.bound
            start = perf_counter()
            choose_cartons(items, [carton], seconds=0.0)
            floors.append((perf_counter() - start) * 1000)
            long += choose_cartons(items, [carton], seconds=20 * SECONDS).cost
    times.sort()
    report(
        "cartons",
        {
            "orders": len(times),
            "p50_ms": round(times[len(times) // 2], 1),
            "p95_ms": round(times[int(len(times) * 0.95)], 1),
            "target_p95_ms": 50,
            "floor_p50_ms": round(sorted(floors)[len(floors) // 2], 1),
            "cost": cost,
            "cost_with_20_times_the_time": long,
            "bound": bound,
        },
    )


if __name__ == "__main__":
    main()
