"""What 10,000 kits can be made of, a family of 400 variants, a kit of 60 parts.

Floor: the same minimum over parts by a plain loop over dictionaries that are in memory already.
"""

import random
from time import perf_counter

from sqlalchemy import event

from ground import OWNER, figures, new_workplace, report, temporary, timed
from relvan.core.catalogue.kits import PartStock, can_be_made
from relvan.core.catalogue.product import Part, ProductDraft, ProductKind, Trait
from relvan.core.stock.availability import StockBalance
from relvan.services.catalogue.families import NewFamily, generate_family
from relvan.services.catalogue.grid import family_grid
from relvan.services.catalogue.save import create_product
from relvan.services.listings.availability import availability

KITS, PARTS = 10_000, 4
PLACES = {1: "Millrace", 2: "Yard"}


def plain(kits: list[list[tuple[int, int]]], free: dict[tuple[int, int], int]) -> int:
    """Returns the floor: nothing but the minimum over the parts."""
    total = 0
    for parts in kits:
        for place in PLACES:
            total += min(free[part, place] // quantity for part, quantity in parts)
    return total


def main() -> None:
    """Measures our figures and the floor and prints them."""
    dice = random.Random(3)
    free = {(part, place): dice.randint(0, 60) for part in range(2_000) for place in PLACES}
    chosen = [
        [(part, dice.randint(1, 3)) for part in dice.sample(range(2_000), PARTS)]
        for _ in range(KITS)
    ]
    start = perf_counter()
    expected = plain(chosen, free)
    floor = perf_counter() - start
    balances = {
        part: {p: StockBalance(name, free[part, p]) for p, name in PLACES.items()}
        for part in range(2_000)
    }
    stocked = [
        [PartStock(str(part), quantity, balances[part]) for part, quantity in parts]
        for parts in chosen
    ]
    start = perf_counter()
    found = sum(
        held.free for parts in stocked for held in can_be_made(parts, PLACES, apart=False).values()
    )
    ours = perf_counter() - start
    assert found == expected
    pages = _pages()
    report(
        "kits",
        {
            "kits": KITS,
            "floor_plain_loop_s": round(floor, 3),
            "ours_with_why_s": round(ours, 3),
            "ratio": round(ours / floor, 1),
            "pages": pages,
        },
    )


def _pages() -> dict[str, dict[str, float]]:
    """Times and counts the queries of a large family's grid and of what a large kit can be made of."""
    with temporary() as folder:
        workplace = new_workplace(folder)
        axes = (
            Trait("Row", tuple(f"r{n}" for n in range(20))),
            Trait("Column", tuple(f"c{n}" for n in range(20))),
        )
        generate_family(
            workplace,
            OWNER,
            NewFamily("BIG", "Big", axes, {}),
            "BIG-{Row}-{Column}",
            "Big {Row} {Column}",
        )
        parts = tuple(Part(f"BIG-r{n // 20}-c{n % 20}", 1) for n in range(60))
        create_product(
            workplace,
            OWNER,
            ProductDraft(sku="K60", title="K60", kind=ProductKind.KIT, parts=parts),
        )
        seen: list[str] = []
        event.listen(
            workplace.database.engine, "before_cursor_execute", lambda *call: seen.append(call[2])
        )
        pages = {}
        for name, call in (
            ("family of 400", lambda: family_grid(workplace, "BIG")),
            ("kit of 60 parts", lambda: availability(workplace, "K60")),
        ):
            seen.clear()
            samples = timed(call, 20)
            pages[name] = {**figures(samples), "queries": len(seen) // 20}
        workplace.close()
    return pages


if __name__ == "__main__":
    main()
