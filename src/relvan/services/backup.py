"""Backup and restore while the application runs. A backup is one archive with the database, the
files and the key. The database in it is always an SQLite database, so that a backup of either kind
of database can be restored into the other."""

import os
import sqlite3
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from relvan.core.refusal import refuse
from relvan.settings import Settings
from relvan.store.carry import carry_over
from relvan.store.database import Database
from relvan.store.schema import bring_up_to_date

DATABASE, FILES, KEY = "relvan.db", "files", "secret.key"


def back_up(settings: Settings, target: Path) -> int:
    """Writes a consistent copy to a .tar.gz file and returns its size in bytes. The archive appears
    whole or not at all."""
    database = Database(settings.database)
    if database.is_sqlite and not database.path.exists():
        raise refuse(
            "not-found", f"There is no database at {database.path}.", "Check RELVAN_DATA_DIR."
        )
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent) as folder:
        copy = Path(folder) / DATABASE
        if database.is_sqlite:
            _copy_database(database.path, copy)
        else:
            box = Database(f"sqlite:///{copy}")
            bring_up_to_date(box)
            _carry(database, box)
        archive = Path(folder) / "backup.tar.gz"
        with tarfile.open(archive, "w:gz") as tar:
            tar.add(copy, DATABASE)
            if settings.files.exists():
                tar.add(settings.files, FILES, filter=_no_half_written)
            if (settings.data_dir / KEY).exists():
                tar.add(settings.data_dir / KEY, KEY)
        archive.replace(target)
    os.chmod(target, 0o600)
    return target.stat().st_size


@contextmanager
def opened(source: Path, folder: Path) -> Iterator[Database]:
    """Unpacks the database of a backup into a folder of its own and opens it there. Refused when the
    backup is broken.
    """
    try:
        with tarfile.open(source) as tar:
            tar.extract(DATABASE, folder, filter="data")
        _refuse_broken(folder / DATABASE)
    except (tarfile.TarError, OSError, sqlite3.DatabaseError, EOFError, KeyError) as error:
        raise refuse(
            "no-backup", f"{source} is no sound backup: {error}.", "Make another one."
        ) from error
    database = Database(f"sqlite:///{folder / DATABASE}")
    try:
        yield database
    finally:
        database.close()


def restore(settings: Settings, source: Path) -> None:
    """Replaces all data by those of a backup; a running application continues with the restored
    data.

    The database is written in one transaction, so that nobody sees half of it.
    """
    if not source.exists():
        raise refuse("not-found", f"There is no file {source}.", "Check the name.")
    settings.data_dir.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=settings.data_dir) as name:
        folder = Path(name)
        try:
            with tarfile.open(source) as tar:
                tar.extractall(folder, filter="data")
            _refuse_broken(folder / DATABASE)
        except (tarfile.TarError, OSError, sqlite3.DatabaseError, EOFError) as error:
            raise refuse(
                "no-backup", f"{source} is no sound backup: {error}.", "Choose another file."
            ) from error
        for file in sorted((folder / FILES).rglob("*")):
            if file.is_file():
                place = settings.files / file.relative_to(folder / FILES)
                place.parent.mkdir(parents=True, exist_ok=True)
                file.replace(place)
        if (folder / KEY).exists():
            (folder / KEY).replace(settings.data_dir / KEY)
        target = Database(settings.database)
        if target.is_sqlite:
            _copy_database(folder / DATABASE, target.path)
        else:
            box = Database(f"sqlite:///{folder / DATABASE}")
            for database in (box, target):  # a backup may be of an earlier version
                bring_up_to_date(database)
            _carry(box, target)


def _carry(source: Database, target: Database) -> None:
    """Copies all rows of one database into another."""
    try:
        with source.reading() as before, target.writing() as after:
            carry_over(before, after)
    finally:
        source.close()
        target.close()


def _copy_database(source: Path, target: Path) -> None:
    target.parent.mkdir(parents=True, exist_ok=True)
    start, end = sqlite3.connect(source), sqlite3.connect(target, timeout=30)
    try:
        start.backup(end)
    finally:
        start.close()
        end.close()


def _refuse_broken(path: Path) -> None:
    database = sqlite3.connect(path)
    try:
        verdict = database.execute("PRAGMA integrity_check").fetchone()[0]
        database.execute("SELECT count(*) FROM product")
    finally:
        database.close()
    if verdict != "ok":
        raise sqlite3.DatabaseError(verdict)


def _no_half_written(item: tarfile.TarInfo) -> tarfile.TarInfo | None:
    return None if Path(item.name).name.startswith(".") else item
