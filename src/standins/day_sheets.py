"""What parcel carriers do with labels that were bought: void them, and list those that are handed over at
the end of a day."""

import json
from collections.abc import Sequence

from standins.memory import Memory, next_number

OPEN, VOID = "", "void"


def state_of(memory: Memory, code: str) -> str:
    """Returns whether a label was voided, the number of the sheet on which it stands, or nothing."""
    row = memory.row("SELECT sheet FROM label_end WHERE code = ?", code)
    return str(row["sheet"]) if row else OPEN


def void(memory: Memory, code: str) -> str:
    """Voids a label, and returns what has become of it: one that stands on a sheet stays."""
    state = state_of(memory, code)
    if state == OPEN:
        with memory.writing() as db:
            now = memory.now().isoformat()
            db.execute("INSERT OR IGNORE INTO label_end VALUES (?, ?, ?)", (code, VOID, now))
        state = state_of(memory, code)
    return state


def close_day(
    memory: Memory, carrier: str, client_ref: str, codes: Sequence[str]
) -> tuple[str, list[str]]:
    """Puts labels on a sheet; returns its number and the codes that cannot stand there: unknown, voided,
    or on another sheet. Asked again with the same reference, it is the same sheet."""
    before = memory.row("SELECT number FROM day_sheet WHERE client_ref = ?", client_ref)
    if before:
        return str(before["number"]), []
    known = {code for code in codes if memory.row("SELECT 1 FROM label WHERE code = ?", code)}
    wrong = [code for code in codes if code not in known or state_of(memory, code) != OPEN]
    if wrong or not codes:
        return "", wrong
    with memory.writing() as db:
        number = f"{carrier[:2].upper()}-D{next_number(db):06d}"
        now = memory.now().isoformat()
        db.execute(
            "INSERT INTO day_sheet VALUES (?, ?, ?, ?, ?)",
            (number, carrier, client_ref, json.dumps(list(codes)), now),
        )
        db.executemany("INSERT INTO label_end VALUES (?, ?, ?)", [(c, number, now) for c in codes])
    return number, []
