"""Defines the `relvan` command. The docstrings of its commands are their help texts."""

import inspect
import json
import os
import runpy
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, get_type_hints

import typer
import uvicorn

from relvan.application import make_application
from relvan.core.jobs.life import WORKING
from relvan.core.people.roles import Role
from relvan.core.refusal import DatabaseAway, Refused
from relvan.core.setup.health import is_well
from relvan.core.solving.kinds import solve_problem
from relvan.demo.run import run_demo
from relvan.logs import begin_logs
from relvan.running import run_firm
from relvan.services.backup import back_up
from relvan.services.backup import restore as restore_backup
from relvan.services.bulk.take_out import take_out
from relvan.services.bulk.work import work_next
from relvan.services.check import check as check_database
from relvan.services.health import health_of
from relvan.services.imports.receive import NewFile, receive_file
from relvan.services.imports.result import result_file
from relvan.services.jobs.life import move_job
from relvan.services.open import open_workplace
from relvan.services.people.first_visit import begin_first_visit
from relvan.services.people.sign_in import add_person
from relvan.services.people.tokens import make_token
from relvan.services.workplace import SYSTEM, Workplace
from relvan.settings import Settings
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import JobRow, job_rows
from relvan.store.people import active_people
from relvan.store.product_list import ProductFilter
from relvan.store.schema import SchemaAge, bring_up_to_date, schema_age
from relvan.worker.duties import working_alone
from relvan.worker.run import run_worker

app = typer.Typer(
    no_args_is_help=True, add_completion=False, help="Sell the same goods on several channels."
)
people_app = typer.Typer(help="List and add the people who work here.", invoke_without_command=True)
app.add_typer(people_app, name="people")


def workplace() -> Workplace:
    """Returns the workplace of the settings, with its database brought up to date."""
    found = open_workplace(Settings())
    bring_up_to_date(found.database)
    return found


@app.command()
def demo(
    fresh: Annotated[bool, typer.Option(help="Start over with new demo data.")] = False,
    port: Annotated[int, typer.Option(help="Where the application listens.")] = 8100,
    world_port: Annotated[int, typer.Option(help="Where the outside world listens.")] = 8101,
    data: Annotated[Path, typer.Option(help="Where the demo data lie.")] = Path("var/demo"),
    scale: Annotated[int, typer.Option(help="So many further products, for a large demo.")] = 0,
) -> None:
    """Prepare the demo data and run everything: application, worker, outside world. Ctrl+C ends all
    of it."""
    sys.exit(
        run_demo(data, port=port, world_port=world_port, fresh=fresh, scale=scale, say=typer.echo)
    )


@app.command()
def run(
    data: Annotated[
        Path | None, typer.Option(help="Where everything is kept; RELVAN_DATA_DIR otherwise.")
    ] = None,
    host: Annotated[
        str, typer.Option(help="Where it listens; 0.0.0.0 for a network.")
    ] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="On which port.")] = 8100,
) -> None:
    """Run Relvan for a firm of one's own: pages, API and worker together. Ctrl+C ends all of it."""
    settings = Settings(data_dir=data) if data else Settings()
    sys.exit(run_firm(settings, host=host, port=port, say=typer.echo))


@app.command()
def serve(
    host: str = "127.0.0.1",
    port: int = 8100,
    log_level: Annotated[str, typer.Option()] = "warning",
    first_visit: Annotated[bool, typer.Option(hidden=True)] = True,
) -> None:
    """Serve the pages and the API. While nobody works here, it prints the code of the first visit."""
    begin_logs(log_level)
    application = make_application()
    if first_visit and (code := begin_first_visit(application.state.workplace)):
        typer.echo(f"First visit {code}: this code makes the owner's account on the first page.")
    uvicorn.run(
        application,
        host=host,
        port=port,
        log_config=None,  # its lines are laid out as all others are
        access_log=False,  # it would tell addresses, which may hold names
        timeout_graceful_shutdown=3,
    )


@app.command()
def worker(
    name: Annotated[
        str, typer.Option(help="Told apart by it; the machine's unless it is given.")
    ] = "",
) -> None:
    """Deliver updates to the channels and read their orders. Several share the work."""
    begin_logs("warning")
    run_worker(Settings(worker_name=name) if name else Settings())


@app.command()
def world(
    port: int = 8101,
    data: Annotated[Path, typer.Option()] = Path("var/world/world.db"),
    host: str = "127.0.0.1",
    rulebooks: Annotated[
        Path | None, typer.Option(help="a folder with rulebooks to keep instead")
    ] = None,
    mail_port: Annotated[
        int | None, typer.Option(help="where mail arrives by SMTP; else the next port")
    ] = None,
) -> None:
    """Run the outside world: stand-ins for marketplaces, the own shop, a carrier, a mailroom and
    the scale.
    """
    command = [
        sys.executable,
        "-m",
        "standins",
        "--host",
        host,
        "--port",
        str(port),
        "--data",
        str(data),
    ]
    command += ["--rulebooks", str(rulebooks)] if rulebooks else []
    command += ["--mail-port", str(mail_port)] if mail_port is not None else []
    sys.exit(subprocess.run(command, check=False).returncode)


@people_app.callback()
def people(context: typer.Context) -> None:
    """List the people who work here."""
    if context.invoked_subcommand is None:
        place = workplace()
        with place.database.reading() as session:
            for person in active_people(session):
                typer.echo(f"{person.login}\t{person.role}\t{person.name}")


@people_app.command("add")
def people_add(login: str, name: str, role: Role = Role.OWNER) -> None:
    """Add a person; the password is asked for, or read from RELVAN_NEW_PASSWORD."""
    password = os.environ.get("RELVAN_NEW_PASSWORD") or typer.prompt("Password", hide_input=True)
    add_person(workplace(), SYSTEM, login, name, role, password)
    typer.echo(f"{login} may sign in.")


@app.command()
def token(name: str, login: Annotated[str, typer.Option(help="Whose rights it has.")] = "") -> None:
    """Create an API token and show it once."""
    place = workplace()
    with place.database.reading() as session:
        owners = [person.login for person in active_people(session) if person.role == Role.OWNER]
    typer.echo(make_token(place, name, login or (owners[0] if owners else "")))


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
    place = workplace()
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
    taken = take_out(workplace(), kind, file.suffix.removeprefix("."), wanted=wanted, chosen=chosen)
    with open(file, "wb") as out:
        for piece in taken.content:
            out.write(piece)
    typer.echo(f"{file}: {file.stat().st_size:,} bytes")


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
    breaches = check_database(workplace().database)
    for breach in breaches:
        typer.echo(f"{breach.invariant}: {breach.detail}")
    typer.echo(f"{len(breaches)} breaches." if breaches else "All is well.")
    sys.exit(1 if breaches else 0)


@app.command("solve")
def solve_command(
    kind: Annotated[str, typer.Argument(help="What to solve: routing or reserve.")],
    file: Annotated[Path | None, typer.Argument(help="JSON; standard input when left out.")] = None,
) -> None:
    """Solve a problem given as JSON, or a list of them, and print the answer as JSON. The command
    exits with 2 when the input is wrong.
    """
    try:
        given = file.read_bytes() if file else sys.stdin.buffer.read()
        answer = solve_problem(kind, json.loads(given))
    except (OSError, ValueError, RecursionError) as error:
        typer.echo(f"The problem cannot be read: {str(error).splitlines()[0]}", err=True)
        sys.exit(2)
    except Refused as refused:
        typer.echo(refused.first.message.replace("\n", " "), err=True)
        sys.exit(2)
    typer.echo(json.dumps(answer))


@app.command()
def bench(name: Annotated[str, typer.Argument(help="Which one; all when left out.")] = "") -> None:
    """Run the benchmarks of the bench folder; each prints JSON."""
    folder = Path("bench")
    scripts = sorted(folder.glob(f"{name or 'bench_*'}.py"))
    if not scripts:
        typer.echo(json.dumps({"error": f"no benchmark {name} in {folder.resolve().name}"}))
        sys.exit(1)
    sys.path.insert(0, str(folder.resolve()))
    for script in scripts:
        sys.argv = [str(script)]  # a benchmark reads its own arguments, not those of this command
        runpy.run_path(str(script), run_name="__main__")


def main() -> None:
    """Runs the command and reports a refusal in words."""
    try:
        app()
    except Refused as refused:
        for refusal in refused.refusals:
            typer.echo(f"{refusal.message} {refusal.fix}", err=True)
        sys.exit(1)
    except DatabaseAway as away:
        typer.echo(str(away), err=True)
        sys.exit(1)
