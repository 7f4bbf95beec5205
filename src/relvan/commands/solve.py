"""Solves problems that are given as JSON."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from relvan.core.refusal import Refused
from relvan.core.solving.kinds import solve_problem

app = typer.Typer()


@app.command("solve")
def solve_command(
    kind: Annotated[str, typer.Argument(help="What to solve: routing, reserve, route or cartons.")],
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
