"""Carrying all that is held from one database to another, whichever of the two kinds each is."""

from sqlalchemy import Integer, insert, select, text
from sqlalchemy.orm import Session

from relvan.store import search
from relvan.store.tables import Table

AT_ONCE = 2_000


def carry_over(source: Session, target: Session) -> int:
    """Put what `source` holds in place of all that `target` holds; how many rows. Both have the tables of this version.
    Who points to whom is checked when the target's transaction ends."""
    on_server = target.get_bind().dialect.name == "postgresql"
    tables = Table.metadata.sorted_tables
    target.execute(text("SET CONSTRAINTS ALL DEFERRED" if on_server else "PRAGMA defer_foreign_keys=ON"))
    for table in reversed(tables):
        target.execute(table.delete())
    count = 0
    for table in tables:
        rows = source.execute(select(table), execution_options={"yield_per": AT_ONCE})
        for some in rows.partitions():
            target.execute(insert(table), [dict(row._mapping) for row in some])
            count += len(some)
    search.rebuild(target)
    if on_server:
        _count_on(target)
    return count


def _count_on(session: Session) -> None:
    """The next id of every table is one that nobody has."""
    for table in Table.metadata.sorted_tables:
        key = list(table.primary_key)
        if len(key) == 1 and isinstance(key[0].type, Integer) and key[0].autoincrement:
            column = f'coalesce(max("{key[0].name}"), 0) + 1'
            sequence = f"pg_get_serial_sequence('\"{table.name}\"', '{key[0].name}')"
            session.execute(text(f'SELECT setval({sequence}, {column}, false) FROM "{table.name}"'))
