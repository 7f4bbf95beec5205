"""Verifies what must always hold in a database: ledger, reservations, orders, shipments, updates,
listings."""

from dataclasses import dataclass

from relvan.store.database import Database
from relvan.store.soundness import INVARIANTS, breaches_of, file_damage


@dataclass(frozen=True)
class Breach:
    """One thing that must hold and does not."""

    invariant: str
    detail: str


def check(database: Database) -> list[Breach]:
    """Returns every breach in a database; at most 20 of each kind, all from one moment. There are
    none when all is well."""
    with database.reading() as session:
        found = [
            Breach(rule, detail) for rule in INVARIANTS for detail in breaches_of(session, rule)
        ]
        return found + [Breach(rule, detail) for rule, detail in file_damage(session)]
