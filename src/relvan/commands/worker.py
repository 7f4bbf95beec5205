"""Runs a worker."""

from pathlib import Path
from typing import Annotated

import typer

from relvan.logs import begin_logs
from relvan.processes import wait_for_file
from relvan.settings import Settings
from relvan.worker.run import run_worker

app = typer.Typer()


@app.command()
def worker(
    name: Annotated[
        str, typer.Option(help="Told apart by it; the machine's unless it is given.")
    ] = "",
    after: Annotated[Path | None, typer.Option(hidden=True)] = None,
) -> None:
    """Deliver updates to the channels and read their orders. Several share the work."""
    begin_logs("warning")
    wait_for_file(after)
    run_worker(Settings(worker_name=name) if name else Settings())
