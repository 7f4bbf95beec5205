"""Files of stock counts: each row is the count of one bin, and a chunk of rows is one transaction."""

from collections.abc import Sequence
from typing import Any

from relvan.core.imports.things import Thing
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.services.stock.goods_places import GoodsPlaces
from relvan.services.stock.move import MoveStock, move_all_in, note_movements
from relvan.services.workplace import Actor, Workplace
from relvan.store.job_rows import ChangeRow
from relvan.store.session import Session


def place_of_count(thing: Thing) -> tuple[str, str, str]:
    """Returns the SKU, warehouse and bin that a row names."""
    facts = thing.facts
    return thing.sku, str(facts.get("warehouse") or ""), str(facts.get("bin") or "")


def rehearse_count(places: GoodsPlaces, thing: Thing, seen: dict[Any, int]) -> dict[str, Any]:
    """Returns what one row would change. Refused is a bin that an earlier row has counted or that
    does not exist."""
    facts = thing.facts
    sku, warehouse, code = place_of_count(thing)
    place = (thing.key, warehouse.casefold(), code.casefold())
    first = seen.setdefault(place, thing.leader)
    if first != thing.leader:
        raise refuse(
            "twice",
            f"That bin of “{thing.sku}” is in row {first} already.",
            "Join the rows.",
            "bin",
        )
    if facts["counted"] < 0:
        raise refuse(
            "out-of-range",
            f"“Counted” must be at least 0; it got {facts['counted']}.",
            "",
            "counted",
        )
    shelf = places.find(sku, warehouse, code)
    return {
        "counted": [shelf.level.lies, facts["counted"]],
        "warehouse": [shelf.warehouse.key] * 2,
        "bin": [shelf.bin.code] * 2,
    }


def request_key(row: ChangeRow) -> str:
    """Returns the key that keeps a row from moving stock twice."""
    return f"job:{row.job_id}:{row.position}"


def apply_counts(
    session: Session, workplace: Workplace, actor: Actor, rows: Sequence[ChangeRow]
) -> dict[int, str]:
    """Carries out counts in one transaction. Returns by position why some were refused; a refused
    one does not stop the others."""
    actor.must(Right.STOCK)
    answers = move_all_in(session, workplace, actor, [_wish(row) for row in rows])
    if moved := {made.product_id for made in answers if not isinstance(made, Refused)}:
        note_movements(session, workplace, moved)
    return {
        row.position: f"{answer.first.message} {answer.first.fix}".strip()
        for row, answer in zip(rows, answers, strict=True)
        if isinstance(answer, Refused)
    }


def _wish(row: ChangeRow) -> MoveStock:
    """Returns the count of a row; it is refused if something has moved there since the rehearsal."""
    (before, counted), (_, warehouse), (_, shelf) = (
        row.change[name] for name in ("counted", "warehouse", "bin")
    )
    return MoveStock(
        row.subject,
        warehouse,
        "count",
        counted=counted,
        bin=shelf,
        request_key=request_key(row),
        expected=before,
    )
