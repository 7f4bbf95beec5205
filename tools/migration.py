"""Writes the next migration from what the tables say now; afterwards it is read, and mended where
need be.

`python tools/migration.py 0002 "The whole catalogue"`. While a version is not released yet, the
same number again replaces its migration; a released one is never touched.
"""

import re
import sys
from pathlib import Path

from alembic import command

from relvan.store.database import Database
from relvan.store.schema import MIGRATIONS, alembic_config

VERSIONS = MIGRATIONS / "versions"
NO_WAY_BACK = """def downgrade() -> None:
    raise NotImplementedError("There is no way back: restore the backup from before.")
"""


def main(number: str, title: str) -> None:
    """Bring a scratch database to the version before, compare it with the tables, write the
    difference."""
    for old in VERSIONS.glob(f"{number}*.py"):
        old.unlink()
    scratch = Path("var/scratch.db")
    scratch.unlink(missing_ok=True)
    with Database(f"sqlite:///{scratch.absolute()}").engine.begin() as connection:
        config = alembic_config(connection)
        command.upgrade(config, "head")
        command.revision(config, title, autogenerate=True, rev_id=number)
    path = next(VERSIONS.glob(f"{number}*.py"))
    path.write_text(mended(path.read_text()))
    scratch.unlink(missing_ok=True)
    print(f"Wrote {path.name}; run ruff over it and read it.")


def mended(text: str) -> str:
    """Tables stay STRICT when they are made anew, and a new column with a foreign key is added in
    place."""
    text = re.sub(r" *# ### .* ###\n", "", text.split("def downgrade")[0]) + NO_WAY_BACK
    text = text.replace(", schema=None)", ', table_kwargs={"sqlite_strict": True})')
    keys = re.findall(r"create_foreign_key\(.*?, '(\w+)', \['(\w+)'\], \['(\w+)'\]\)", text)
    text = re.sub(r" *batch_op\.create_foreign_key.*\n", "", text)
    for table, column, target in keys:
        found = re.search(rf" *batch_op\.add_column\(sa\.Column\('{column}'.*\n", text)
        if found is None:
            continue
        head = text[: found.start()]
        owner = re.findall(r"batch_alter_table\('(\w+)'", head)[-1]
        start = head.rindex("    with op.batch_alter_table")
        added = f'    op.execute("ALTER TABLE {owner} ADD COLUMN {column} INTEGER REFERENCES {table} ({target})")\n'
        text = text[:start] + added + text[start : found.start()] + text[found.end() :]
    return text


if __name__ == "__main__":
    main(*sys.argv[1:3])
