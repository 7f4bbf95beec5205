"""Runs the outside world as a process of its own."""

import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

app = typer.Typer()


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
