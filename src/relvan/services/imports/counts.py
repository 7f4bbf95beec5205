"""Files of stock counts: each row is the count of one bin, and a chunk of rows is one transaction."""

from collections.abc import Sequence
from typing import Any

from relvan.core.imports.things import Thing
from relvan.core.jobs.life import moved_on
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, refuse
from relvan.services.stock.move import MoveStock, lies_in_bin, move_in, note_movements
from relvan.services.workplace import Actor, Workplace
from relvan.store.job_rows import ChangeRow
from relvan.store.session import Session


def rehearse_count(session: Session, thing: Thing, seen: dict[Any, int]) -> dict[str, Any]:
    """Returns what one row would change. Refused is a bin that an earlier row has counted or that
    does not exist."""
    facts = thing.facts
    place = (thing.key, str(facts["warehouse"]).casefold(), str(facts.get("bin") or "").casefold())
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
    warehouse, shelf, there = lies_in_bin(
        session, thing.sku, str(facts["warehouse"]), str(facts.get("bin") or "")
    )
    return {
        "counted": [there, facts["counted"]],
        "warehouse": [warehouse, warehouse],
        "bin": [shelf, shelf],
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
    reasons: dict[int, str] = {}
    moved: set[int] = set()
    for row in rows:
        try:
            with session.begin_nested():
                moved.add(_write_count(session, workplace, actor, row))
        except Refused as refused:
            reasons[row.position] = f"{refused.first.message} {refused.first.fix}".strip()
    if moved:
        note_movements(session, workplace, moved)
    return reasons


def _write_count(session: Session, workplace: Workplace, actor: Actor, row: ChangeRow) -> int:
    """Writes one count; returns the product whose stock it was."""
    (before, counted), (_, warehouse), (_, shelf) = (
        row.change[name] for name in ("counted", "warehouse", "bin")
    )
    _, _, there = lies_in_bin(session, row.subject, warehouse, shelf)
    if there != before:
        raise Refused(moved_on(["counted"], {"counted": there}))
    wish = MoveStock(
        row.subject, warehouse, "count", counted=counted, bin=shelf, request_key=request_key(row)
    )
    return move_in(session, workplace, actor, wish).product_id
