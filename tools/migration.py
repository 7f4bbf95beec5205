"""Writes the next migration from what the tables say now; afterwards it is read and mended by hand.

`python tools/migration.py 0002 "The whole catalogue"`. While a version is not released yet, the same number again
replaces its migration; a released one is never touched.
"""

import re
import sys
from pathlib import Path

from alembic import command

from relvan.store.database import Database
from relvan.store.schema import MIGRATIONS, alembic_config

VERSIONS = MIGRATIONS / "versions"
KEEP = "    # by hand\n"


def main(number: str, title: str) -> None:
    """Bring a scratch database to the version before, compare it with the tables, write the difference."""
    kept = ""
    for old in VERSIONS.glob(f"{number}*.py"):
        kept = KEEP.join(old.read_text().split(KEEP)[1:])
        old.unlink()
    scratch = Path("var/scratch.db")
    scratch.unlink(missing_ok=True)
    with Database(f"sqlite:///{scratch.absolute()}").engine.begin() as connection:
        config = alembic_config(connection)
        command.upgrade(config, "head")
        command.revision(config, title, autogenerate=True, rev_id=number)
    path = next(VERSIONS.glob(f"{number}*.py"))
    text = re.sub(r" *# ### .* ###\n", "", path.read_text())
    path.write_text(text)
    scratch.unlink(missing_ok=True)
    print(f"Wrote {path.name}." + (f" Put back by hand:\n{KEEP}{kept}" if kept else ""))


if __name__ == "__main__":
    main(*sys.argv[1:3])
