"""Defines the `relvan` command. What a command needs is imported when it is used: to solve a problem takes a
tenth of the time that it takes to load the whole application.
"""

import sys
from importlib import import_module
from typing import Any

import typer
from typer.core import TyperGroup
from typer.main import get_group

from relvan.core.refusal import DatabaseAway, Refused

# command -> its module in `relvan.commands`; the docstrings of the commands are their help texts
MODULES = {
    "demo": "demo",
    "run": "run",
    "serve": "serve",
    "worker": "worker",
    "world": "world",
    "people": "people",
    "token": "people",
    "import": "files",
    "export": "files",
    "backup": "keeping",
    "restore": "keeping",
    "doctor": "keeping",
    "check": "keeping",
    "solve": "solve",
    "bench": "bench",
}


class Commands(TyperGroup):
    """The commands, each of which is loaded when it is asked for."""

    def list_commands(self, ctx: Any) -> list[str]:
        """Returns the names of all commands."""
        return [*MODULES]

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        """Returns the command with a name, or None."""
        if cmd_name not in MODULES:
            return None
        module = import_module(f"relvan.commands.{MODULES[cmd_name]}")
        return get_group(module.app).commands[cmd_name]


app = typer.Typer(cls=Commands, no_args_is_help=True, add_completion=False)


@app.callback()
def relvan() -> None:
    """Sell the same goods on several channels."""


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
