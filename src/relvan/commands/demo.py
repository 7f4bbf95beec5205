"""Runs the demo."""

import sys
from pathlib import Path
from typing import Annotated

import typer

from relvan.demo.run import run_demo

app = typer.Typer()


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
