"""Lists and adds people, and makes tokens for them."""

import os
from typing import Annotated

import typer

from relvan.core.people.roles import Role
from relvan.services.open import open_current_workplace
from relvan.services.people.sign_in import add_person
from relvan.services.people.tokens import make_token
from relvan.services.workplace import SYSTEM
from relvan.settings import Settings
from relvan.store.people import active_people

app = typer.Typer()


people_app = typer.Typer(help="List and add the people who work here.", invoke_without_command=True)
app.add_typer(people_app, name="people")


@people_app.callback()
def people(context: typer.Context) -> None:
    """List the people who work here."""
    if context.invoked_subcommand is None:
        place = open_current_workplace(Settings())
        with place.database.reading() as session:
            for person in active_people(session):
                typer.echo(f"{person.login}\t{person.role}\t{person.name}")


@people_app.command("add")
def people_add(login: str, name: str, role: Role = Role.OWNER) -> None:
    """Add a person; the password is asked for, or read from RELVAN_NEW_PASSWORD."""
    password = os.environ.get("RELVAN_NEW_PASSWORD") or typer.prompt("Password", hide_input=True)
    add_person(open_current_workplace(Settings()), SYSTEM, login, name, role, password)
    typer.echo(f"{login} may sign in.")


@app.command()
def token(name: str, login: Annotated[str, typer.Option(help="Whose rights it has.")] = "") -> None:
    """Create an API token and show it once."""
    place = open_current_workplace(Settings())
    with place.database.reading() as session:
        owners = [person.login for person in active_people(session) if person.role == Role.OWNER]
    typer.echo(make_token(place, name, login or (owners[0] if owners else "")))
