"""Records the count of a whole bin in one step."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse
from relvan.services.stock.move import MoveStock, move_all_in, moved_before, note_movements
from relvan.services.workplace import Actor, Workplace
from relvan.store.stock import find_bin, warehouse_by_key

MOST_LINES = 1_000


@dataclass(frozen=True)
class CountedLine:
    """So many units of a product (by SKU or alias) that were counted."""

    sku: str
    units: int


def count_bin(
    workplace: Workplace,
    actor: Actor,
    warehouse: str,
    code: str,
    lines: Sequence[CountedLine],
    *,
    request_key: str,
) -> int:
    """Writes what was counted in a bin into the ledger, all of it or nothing; returns how many
    products differ from what was thought to be there. Products that were not counted stay as they
    are. The same `request_key` counts once."""
    actor.must(Right.STOCK)
    if not 0 < len(lines) <= MOST_LINES:
        fix = "Type at least one number."
        raise refuse(
            "missing", f"Between 1 and {MOST_LINES:,} lines are counted at once.", fix, "counted"
        )
    doubled = _doubled(lines)
    if doubled:
        raise refuse("doubled", f"“{doubled}” was counted twice.", "Add the two up.", "counted")
    with workplace.database.writing() as session:
        place = warehouse_by_key(session, warehouse)
        shelf = find_bin(session, place.id, code)
        if moved_before(session, f"{request_key}:0"):
            return 0
        wishes = [
            MoveStock(
                line.sku,
                place.key,
                "count",
                counted=line.units,
                bin=shelf.code,
                note=f"bin {shelf.code} counted",
                request_key=f"{request_key}:{position}",
            )
            for position, line in enumerate(lines)
        ]
        answers = move_all_in(session, workplace, actor, wishes)
        problems = [
            Refusal(one.code, f"{line.sku}: {one.message}", one.fix, "counted")
            for line, answer in zip(lines, answers, strict=True)
            if isinstance(answer, Refused)
            for one in answer.refusals
        ]
        if problems:
            raise Refused(*problems)
        moved = [answer for answer in answers if not isinstance(answer, Refused)]
        note_movements(session, workplace, {movement.product_id for movement in moved})
        return sum(movement.on_hand != 0 for movement in moved)


def _doubled(lines: Sequence[CountedLine]) -> str:
    seen: set[str] = set()
    for line in lines:
        if line.sku.casefold() in seen:
            return line.sku
        seen.add(line.sku.casefold())
    return ""
