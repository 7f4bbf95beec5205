"""Runs Relvan for a firm of one's own."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from relvan.running import run_firm
from relvan.settings import Settings

app = typer.Typer()


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
