"""Copies everything from one database to another. Each may be SQLite or PostgreSQL."""

from sqlalchemy import Integer, insert, select, text
from sqlalchemy.orm import Session

from relvan.store import search
from relvan.store.tables import SettingsMark, Table

AT_ONCE = 2_000
_POINTING = """DO $$ DECLARE one record; BEGIN
    FOR one IN SELECT conrelid::regclass AS place, conname FROM pg_constraint
        WHERE contype = 'f' AND connamespace = current_schema()::regnamespace LOOP
        EXECUTE format('ALTER TABLE %s ALTER CONSTRAINT %I {how}', one.place, one.conname);
    END LOOP; END $$"""


def carry_over(source: Session, target: Session) -> int:
    """Replaces all that `target` holds by all that `source` holds and returns the number of rows.
    Both must have the tables of this version. A row may point to a row that comes later, so
    references are checked at the end.
    """
    on_server = target.get_bind().dialect.name == "postgresql"
    if on_server:
        target.execute(text(_POINTING.format(how="DEFERRABLE INITIALLY DEFERRED")))
    else:
        target.execute(text("PRAGMA defer_foreign_keys=ON"))
    count = _replace_all(source, target)
    search.rebuild(target)
    if on_server:
        target.execute(text("SET CONSTRAINTS ALL IMMEDIATE"))
        target.execute(text(_POINTING.format(how="NOT DEFERRABLE")))
        _count_on(target)
    return count


def _replace_all(source: Session, target: Session) -> int:
    mark = SettingsMark.__table__  # the change itself replaces it
    tables = [table for table in Table.metadata.sorted_tables if table is not mark]
    for table in reversed(tables):
        target.execute(table.delete())
    count = 0
    for table in tables:
        rows = source.execute(select(table), execution_options={"yield_per": AT_ONCE})
        for some in rows.partitions():
            target.execute(insert(table), [dict(row._mapping) for row in some])
            count += len(some)
    return count


def _count_on(session: Session) -> None:
    """Sets the next id of every table to one that no row has yet."""
    for table in Table.metadata.sorted_tables:
        key = list(table.primary_key)
        if len(key) == 1 and isinstance(key[0].type, Integer) and key[0].autoincrement:
            column = f'coalesce(max("{key[0].name}"), 0) + 1'
            sequence = f"pg_get_serial_sequence('\"{table.name}\"', '{key[0].name}')"
            session.execute(text(f'SELECT setval({sequence}, {column}, false) FROM "{table.name}"'))
