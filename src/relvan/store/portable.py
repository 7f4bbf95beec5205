"""Holds the expressions that SQLite and PostgreSQL spell differently: lists and parts of JSON text,
the greater of two numbers, and adding a row unless it exists.
"""

from collections.abc import Callable
from typing import Any

from sqlalchemy import ColumnElement, Integer, Text, literal_column
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.orm import Session
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import GenericFunction


def speaks(function: type[GenericFunction[Any]], here: str, there: str) -> None:
    """Registers how a function is spelled on SQLite (`here`) and on PostgreSQL (`there`); `{0}` and
    `{1}` are its arguments.
    """

    def said(how: str) -> Callable[..., str]:
        def compiled(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
            named = [
                n for n, _ in enumerate(element.clauses) if f"{{{n}}}" in how
            ]  # no other is bound
            return how.format(
                *(compiler.process(element.clauses.clauses[n], **more) for n in named)
            )

        return compiled

    compiles(function)(said(here))
    compiles(function, "postgresql")(said(there))


class json_items(GenericFunction[Any]):
    """A table of the items of a list that is stored as JSON text; its column is `value`."""

    inherit_cache = True


class json_pairs(GenericFunction[Any]):
    """A table of the entries of an object that is stored as JSON text; its columns are `key` and
    `value`.
    """

    inherit_cache = True


class json_part(GenericFunction[str]):
    """The text under a name in an object that is stored as JSON text, or NULL where it has none."""

    type = Text()
    inherit_cache = True


class json_list(GenericFunction[str]):
    """All values of a column as the JSON text of a list."""

    type = Text()
    inherit_cache = True


class greater_of(GenericFunction[int]):
    """The greater of two numbers."""

    type = Integer()
    inherit_cache = True


class less_of(GenericFunction[int]):
    """The lesser of two numbers."""

    type = Integer()
    inherit_cache = True


class leading_number(GenericFunction[int]):
    """The whole number above 0 with which a text begins, or NULL where it begins with none."""

    type = Integer()
    inherit_cache = True


speaks(json_items, "json_each({0})", "jsonb_array_elements_text(CAST({0} AS jsonb))")
speaks(json_pairs, "json_each({0})", "jsonb_each_text(CAST({0} AS jsonb))")
speaks(json_part, "json_extract({0}, '$.' || {1})", "(CAST({0} AS jsonb) ->> CAST({1} AS text))")
speaks(json_list, "json_group_array({0})", "coalesce(CAST(json_agg({0}) AS text), '[]')")
speaks(greater_of, "max({0}, {1})", "greatest({0}, {1})")
speaks(less_of, "min({0}, {1})", "least({0}, {1})")
speaks(
    leading_number,
    "nullif(CAST({0} AS INTEGER), 0)",
    "nullif(CAST(substring({0} from '^[0-9]+') AS bigint), 0)",
)


def part_of(json: Any, name: str) -> ColumnElement[str]:
    """Returns the expression for the text under a name, given by our code, in an object that is
    stored as JSON text.
    """
    return json_part(
        json, literal_column(f"'{name}'")
    )  # in the statement itself: it may be grouped by


def insert_into(session: Session, table: Any) -> Any:
    """Returns an INSERT that can say what to do where a row exists already
    (`on_conflict_do_nothing`, `..._update`).
    """
    server = session.get_bind().dialect.name == "postgresql"
    return (postgresql.insert if server else sqlite.insert)(table)
