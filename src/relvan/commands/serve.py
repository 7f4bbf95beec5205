"""Serves the pages and the API."""

from pathlib import Path
from typing import Annotated

import typer
import uvicorn

from relvan.application import make_application
from relvan.logs import begin_logs
from relvan.processes import wait_for_file
from relvan.services.people.first_visit import begin_first_visit

app = typer.Typer()


@app.command()
def serve(
    host: str = "127.0.0.1",
    port: int = 8100,
    log_level: Annotated[str, typer.Option()] = "warning",
    first_visit: Annotated[bool, typer.Option(hidden=True)] = True,
    after: Annotated[Path | None, typer.Option(hidden=True)] = None,
) -> None:
    """Serve the pages and the API. While nobody works here, it prints the code of the first visit."""
    begin_logs(log_level)
    wait_for_file(after)
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
