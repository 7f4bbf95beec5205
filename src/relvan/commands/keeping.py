"""Backs everything up and restores it, and says how the installation and its data are."""

import sys
from pathlib import Path

import typer

from relvan.core.setup.health import is_well
from relvan.services.backup import back_up
from relvan.services.backup import restore as restore_backup
from relvan.services.check import check as check_database
from relvan.services.health import health_of
from relvan.services.open import open_current_workplace, open_workplace
from relvan.settings import Settings
from relvan.store.schema import SchemaAge, schema_age

app = typer.Typer()


@app.command()
def backup(file: Path) -> None:
    """Write a consistent copy of database, files and key, while everything runs."""
    typer.echo(f"{file}: {back_up(Settings(), file):,} bytes")


@app.command("restore")
def restore_command(file: Path) -> None:
    """Replace everything by a backup."""
    restore_backup(Settings(), file)
    typer.echo(f"Restored from {file}.")


@app.command()
def doctor() -> None:
    """Say how each part of the installation is and what to do. The command exits with 1 when one
    stands still.
    """
    place = open_workplace(Settings())
    if schema_age(place.database) == SchemaAge.EMPTY:
        typer.echo("There is no database yet; `relvan run` makes one.")
        sys.exit(1)
    if schema_age(place.database) != SchemaAge.PRESENT:
        typer.echo("The database is of another version; `relvan run` says what to do.")
        sys.exit(1)
    lines = health_of(place)
    for line in lines:
        typer.echo(f"{line.state.value:14} {line.part:10} {line.words}")
        if line.fix:
            typer.echo(f"{'':25} {line.fix}")
    sys.exit(0 if is_well(lines) else 1)


@app.command("check")
def check_command() -> None:
    """Verify the invariants of the database. The command exits with 1 on any breach."""
    breaches = check_database(open_current_workplace(Settings()).database)
    for breach in breaches:
        typer.echo(f"{breach.invariant}: {breach.detail}")
    typer.echo(f"{len(breaches)} breaches." if breaches else "All is well.")
    sys.exit(1 if breaches else 0)
