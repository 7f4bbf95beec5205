"""Takes files in and writes them out."""

import inspect
import os
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, get_type_hints

import typer

from relvan.core.jobs.life import WORKING
from relvan.services.bulk.take_out import take_out
from relvan.services.bulk.work import work_next
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.imports.result import result_file
from relvan.services.jobs.life import move_job
from relvan.services.open import open_current_workplace
from relvan.services.workplace import SYSTEM, Workplace
from relvan.settings import Settings
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import JobRow, job_rows
from relvan.store.product_list import ProductFilter
from relvan.worker.duties import working_alone

app = typer.Typer()


def taking(wish: type[Any]) -> Callable[[Callable[[Any], None]], Callable[..., None]]:
    """Lets a command take the fields of a dataclass as its arguments and options, as one value."""

    def around(command: Callable[[Any], None]) -> Callable[..., None]:
        def run(**given: Any) -> None:
            command(wish(**given))

        run.__doc__ = command.__doc__
        run.__annotations__ = get_type_hints(wish, include_extras=True)
        run.__signature__ = inspect.signature(wish)  # type: ignore[attr-defined]
        return run

    return around


@dataclass(frozen=True)
class ImportWish:
    """The arguments and options of `relvan import`."""

    kind: Annotated[
        str, typer.Argument(help="products, families, kits, prices, stock-counts, orders, ...")
    ]
    file: Annotated[
        Path, typer.Argument(exists=True, dir_okay=False, help="CSV, XLSX, XLS or ODS.")
    ]
    mapping: Annotated[
        str, typer.Option(help="The name of a kept mapping; guessed when left out.")
    ] = ""
    apply: Annotated[bool, typer.Option(help="Apply what the rehearsal shows.")] = False
    replace: Annotated[bool, typer.Option(help="Replace a family's variants or a kit's parts.")] = (
        False
    )
    create: Annotated[bool, typer.Option(help="Make SKUs that are unknown.")] = True
    clear: Annotated[bool, typer.Option(help="An empty cell empties the fact.")] = False
    tray: Annotated[str, typer.Option(help="Of orders: the tray in which they begin.")] = ""
    payments: Annotated[
        str, typer.Option(help="Of orders: payments are firm, provisional or none.")
    ] = "firm"
    result: Annotated[
        Path | None, typer.Option(help="Where to write every row with its verdict.")
    ] = None


@app.command("import")
@taking(ImportWish)
def import_file(wish: ImportWish) -> None:
    """Rehearse a file and say what it would do; with --apply, do it. The command exits with 1 when
    a row is refused.
    """
    place = open_current_workplace(Settings())
    options = {
        "create": wish.create,
        "clear": wish.clear,
        "members": "replace" if wish.replace else "add",
        "tray": wish.tray,
        "payments": wish.payments,
    }
    file = NewFile(wish.kind, wish.file.name, wish.file.read_bytes())
    job = receive_file(place, SYSTEM, file, mapping=wish.mapping, options=options)
    found = _until_it_rests(place, job)
    if wish.apply and found.state == "rehearsed":
        move_job(place, SYSTEM, job, "apply")
        found = _until_it_rests(place, job)
    typer.echo(f"Job {job}, {found.state}: {_counted(found.counts)}")
    if found.state == "ended":
        typer.echo(
            f"{found.done} {'row' if found.done == 1 else 'rows'} applied, {found.refused} refused."
        )
    if found.trouble:
        typer.echo(found.trouble, err=True)
    _show_refused(place, job)
    if wish.result is not None:
        wish.result.write_bytes(b"".join(result_file(place, job)))
    sys.exit(1 if found.refused or found.trouble else 0)


def _until_it_rests(place: Workplace, job: int) -> JobRow:
    while True:
        with place.database.reading() as session:
            found = job_rows(session, job_id=job)[0]
        if found.state not in WORKING:
            return found
        with working_alone(place, f"import {os.getpid()}") as alone:
            if not (alone and work_next(place)):
                time.sleep(0.1)  # a worker does it


def _counted(counts: dict[str, int]) -> str:
    return (
        ", ".join(f"{number} {verdict}" for verdict, number in sorted(counts.items())) or "no rows"
    )


def _show_refused(place: Workplace, job: int, most: int = 20) -> None:
    with place.database.reading() as session:
        refused = [
            row for row in job_verdicts(session, job, limit=100_000) if row.verdict == "refused"
        ]
    for row in refused[:most]:
        typer.echo(f"row {row.position}, {row.subject}: {row.reason}")
    if len(refused) > most:
        typer.echo(f"and {len(refused) - most} more")


@app.command("export")
def export_file(
    kind: Annotated[
        str, typer.Argument(help="products, families, kits, aliases, prices, stock-counts, ...")
    ],
    file: Annotated[Path, typer.Argument(help="A name that ends in .csv or .xlsx.")],
    words: Annotated[str, typer.Option(help="Only products that these words find.")] = "",
    category: Annotated[
        str, typer.Option(help="Only products of this category and those below it.")
    ] = "",
    columns: Annotated[str, typer.Option(help="Only these columns, parted by commas.")] = "",
) -> None:
    """Write products to a file that can be imported again."""
    chosen = [name.strip() for name in columns.split(",") if name.strip()]
    wanted = ProductFilter(words=words, category=category)
    taken = take_out(
        open_current_workplace(Settings()),
        kind,
        file.suffix.removeprefix("."),
        wanted=wanted,
        chosen=chosen,
    )
    with open(file, "wb") as out:
        for piece in taken.content:
            out.write(piece)
    typer.echo(f"{file}: {file.stat().st_size:,} bytes")
