"""Runs Relvan for a firm of one's own: pages, API and worker together on one data folder."""

import fcntl
import os
import signal
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

from relvan.core.refusal import Refused, refuse
from relvan.processes import Processes, interrupt, refuse_taken, wait_for
from relvan.services.backup import back_up
from relvan.services.open import open_workplace
from relvan.services.people.first_visit import begin_first_visit
from relvan.services.setup.backups import FOLDER
from relvan.settings import MOVED_TO_SETUP, Settings
from relvan.store.database import Database
from relvan.store.schema import SchemaAge, bring_up_to_date, schema_age

LOCK = "run.lock"


def run_firm(settings: Settings, *, host: str, port: int, say: Callable[[str], None]) -> int:
    """Brings the database up to date, starts everything, waits for Ctrl+C, and returns the exit
    code.
    """
    there = f"http://{'127.0.0.1' if host == '0.0.0.0' else host}:{port}"
    base = settings.base_url if "base_url" in settings.model_fields_set else there
    environment = {
        **os.environ,
        "RELVAN_DATA_DIR": str(settings.data_dir.absolute()),
        "RELVAN_BASE_URL": base,
    }
    running = Processes(environment, "Relvan")
    try:
        signal.signal(signal.SIGTERM, interrupt)
        signal.signal(signal.SIGHUP, interrupt)
        with _only_one(settings.data_dir):
            refuse_taken(there)
            prepare(settings, say)
            running.start("-m", "relvan", "worker")
            pages = ("--no-first-visit", "--host", host, "--port", str(port))
            running.start("-m", "relvan", "serve", *pages)
            wait_for(f"{there}/healthz", running)
            _tell(settings, base, say)
            return running.watch(say)
    except KeyboardInterrupt:
        return 0
    except Refused as refused:
        say(f"{refused.first.message} {refused.first.fix}")
        return 1
    finally:
        running.stop()


def prepare(settings: Settings, say: Callable[[str], None]) -> Path | None:
    """Brings the database up to date, after a backup when there is anything to change in it;
    returns the backup's file.

    Refused when the database was used by a newer Relvan.
    """
    database = Database(settings.database)
    age = schema_age(database)
    made = None
    if age == SchemaAge.NEWER:
        raise refuse(
            "newer",
            "This database was used by a newer Relvan, and this one could spoil it.",
            "Install that version again, or `relvan restore` the backup that was made before it.",
        )
    if age == SchemaAge.OLDER:
        moment = f"{datetime.now(UTC):%Y-%m-%d-%H%M%S}"
        made = settings.data_dir / FOLDER / f"before-update-{moment}.tar.gz"
        back_up(settings, made)
        say(f"The database is brought up to date; {made} is a backup from before.")
    bring_up_to_date(database)
    database.close()
    return made


def _tell(settings: Settings, base: str, say: Callable[[str], None]) -> None:
    workplace = open_workplace(settings)
    code = begin_first_visit(workplace)
    workplace.close()
    say(f"Relvan      {base}")
    say(f"Data folder {settings.data_dir.absolute()}")
    if code:
        say(f"First visit {code}: this code makes the owner's account on the first page.")
    for name in moved_to_setup(os.environ):
        say(f"{name} is not read any more: set it under Setup, {MOVED_TO_SETUP[name]}.")
    say("Ctrl+C ends all of it.")


def moved_to_setup(environment: Mapping[str, str]) -> list[str]:
    """Returns the variables of an environment that have no effect, since Setup took their place."""
    return [name for name in MOVED_TO_SETUP if environment.get(name)]


@contextmanager
def _only_one(folder: Path) -> Iterator[None]:
    """Lets one command run on a data folder at a time."""
    folder.mkdir(parents=True, exist_ok=True)
    with open(folder / LOCK, "w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise refuse(
                "running",
                f"Relvan runs on {folder} already.",
                "Stop it first, or name another folder with --data.",
            ) from None
        yield
