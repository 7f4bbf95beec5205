"""The shortest route of 200 picks through a warehouse of 20 aisles, in one, two, three and four blocks.

Floor: visiting the stops aisle by aisle, which only sorts them.
"""

import random
from time import perf_counter

from ground import report
from relvan.core.picking.plan import FloorPlan, Stop
from relvan.core.picking.route import every_aisle_length, shortest_route

AISLES, BAYS, PICKS, TRIES = 20, 40, 200, 25
CROSS = {1: (), 2: (20.5,), 3: (14.5, 28.0), 4: (10.5, 20.5, 30.5)}


def main() -> None:
    """Time each number of blocks, and print the times beside the floor."""
    dice = random.Random(7)
    figures: dict[str, object] = {"picks": PICKS, "target_ms": 50}
    for blocks, cross in CROSS.items():
        plan = FloorPlan(AISLES, BAYS, cross=cross)
        tours = [
            [Stop(dice.randrange(AISLES), dice.randint(1, BAYS)) for _ in range(PICKS)]
            for _ in range(TRIES)
        ]
        shortest_route(plan, tours[0])  # the tables of states are made once in a process
        times, floors = [], []
        for stops in tours:
            start = perf_counter()
            assert shortest_route(plan, stops).exact
            times.append((perf_counter() - start) * 1000)
            start = perf_counter()
            every_aisle_length(plan, sorted(stops))
            floors.append((perf_counter() - start) * 1000)
        times.sort()
        figures[f"blocks_{blocks}_p50_ms"] = round(times[len(times) // 2], 1)
        figures[f"blocks_{blocks}_most_ms"] = round(times[-1], 1)
        figures["floor_ms"] = round(sorted(floors)[len(floors) // 2], 2)
    report("route", figures)


if __name__ == "__main__":
    main()
