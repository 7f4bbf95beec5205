"""Shops that many tests begin with are built once in each process; every further test begins with a
copy of what was built: database, files and outside world alike."""

import copy
import inspect
import shutil
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest


@dataclass(frozen=True)
class Snapshot:
    """A shop as it stood when it was built: the folder with its data and its world, the time there,
    whom it had woken, and what its builder gave back."""

    folder: Path
    now: datetime
    woken: list[tuple[str, int]]
    value: Any


class Place:
    """Where a test works: its workplace, and the file of its outside world."""

    def __init__(self, workplace, worlds, world_file):
        self.workplace, self.worlds, self.world_file = workplace, worlds, world_file

    def kept(self, folder, value):
        """Returns a snapshot of what is here."""
        self.workplace.database.close()
        shutil.copytree(self.workplace.settings.data_dir, folder / "data")
        with (
            closing(sqlite3.connect(self.world_file)) as there,
            closing(sqlite3.connect(folder / "world.db")) as target,
        ):
            there.backup(target)
        return Snapshot(folder, self.workplace.now.now, list(self.workplace.woken), value)

    def go_on_from(self, snapshot):
        """Make it here as it was there."""
        self.workplace.database.close()
        shutil.rmtree(self.workplace.settings.data_dir)
        shutil.copytree(snapshot.folder / "data", self.workplace.settings.data_dir)
        again = self.world_file.with_name("world-again.db")
        shutil.copy(snapshot.folder / "world.db", again)
        self.worlds.begin(again)
        self.workplace.now.now, self.workplace.woken[:] = snapshot.now, snapshot.woken
        self.workplace.forget_firm()
        assert self.workplace.firm, "it is read once, so that no test counts that query"


class Snapshots:
    """Those of a process, by who built them."""

    def __init__(self, folder):
        self.folder, self.by_build = folder, {}


def built_once(build):
    """Returns a fixture from a function that builds a shop out of other fixtures, and gives back
    the workplace or something plain. On database servers it is built for every test."""

    @pytest.fixture
    def fixture(request, snapshots, workplace, world, worlds, tmp_path):
        wanted = {
            name: request.getfixturevalue(name) for name in inspect.signature(build).parameters
        }
        if not workplace.database.is_sqlite:
            return build(**wanted)
        place, key = (
            Place(workplace, worlds[0], tmp_path / "world.db"),
            (build.__module__, build.__qualname__),
        )
        if key in snapshots.by_build:
            place.go_on_from(snapshots.by_build[key])
        else:
            folder = snapshots.folder / str(len(snapshots.by_build))
            snapshots.by_build[key] = place.kept(folder, build(**wanted))
        value = snapshots.by_build[key].value
        return workplace if hasattr(value, "database") else copy.deepcopy(value)

    return fixture
