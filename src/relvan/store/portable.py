"""What SQLite and PostgreSQL say in different words, said once: lists and parts of JSON text, the greater of two, and
adding a row unless it is there."""

from typing import Any

from sqlalchemy import ColumnElement, Integer, Text, literal_column
from sqlalchemy.dialects import postgresql, sqlite
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.orm import Session
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import GenericFunction


class json_items(GenericFunction[Any]):
    """A table of the items of a list that is kept as JSON text; its column is `value`."""

    inherit_cache = True


class json_pairs(GenericFunction[Any]):
    """A table of what an object that is kept as JSON text holds: `key` and `value`."""

    inherit_cache = True


class json_part(GenericFunction[str]):
    """The text under a name in an object that is kept as JSON text; nothing where it has none."""

    type = Text()
    inherit_cache = True


class json_list(GenericFunction[str]):
    """All values of a column as JSON text of a list."""

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


def _arguments(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> list[str]:
    return [compiler.process(clause, **more) for clause in element.clauses]


@compiles(json_items)
@compiles(json_pairs)
def _table(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"json_each({_arguments(element, compiler, **more)[0]})"


@compiles(json_items, "postgresql")
def _items(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"jsonb_array_elements_text(CAST({_arguments(element, compiler, **more)[0]} AS jsonb))"


@compiles(json_pairs, "postgresql")
def _pairs(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"jsonb_each_text(CAST({_arguments(element, compiler, **more)[0]} AS jsonb))"


@compiles(json_part)
def _part(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    text, name = _arguments(element, compiler, **more)
    return f"json_extract({text}, '$.' || {name})"


@compiles(json_part, "postgresql")
def _part_there(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    text, name = _arguments(element, compiler, **more)
    return f"(CAST({text} AS jsonb) ->> CAST({name} AS text))"


@compiles(json_list)
def _list(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"json_group_array({_arguments(element, compiler, **more)[0]})"


@compiles(json_list, "postgresql")
def _list_there(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"coalesce(CAST(json_agg({_arguments(element, compiler, **more)[0]}) AS text), '[]')"


@compiles(greater_of)
def _greater(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"max({', '.join(_arguments(element, compiler, **more))})"


@compiles(less_of)
def _less(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"min({', '.join(_arguments(element, compiler, **more))})"


@compiles(greater_of, "postgresql")
def _greater_there(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"greatest({', '.join(_arguments(element, compiler, **more))})"


@compiles(less_of, "postgresql")
def _less_there(element: GenericFunction[Any], compiler: SQLCompiler, **more: Any) -> str:
    return f"least({', '.join(_arguments(element, compiler, **more))})"


def part_of(json: Any, name: str) -> ColumnElement[str]:
    """The text under a name of ours in an object that is kept as JSON text."""
    return json_part(json, literal_column(f"'{name}'"))  # in the statement itself: it may be grouped by


def insert_into(session: Session, table: Any) -> Any:
    """An INSERT that may say what to do where a row is there already (`on_conflict_do_nothing`, `..._update`)."""
    server = session.get_bind().dialect.name == "postgresql"
    return (postgresql.insert if server else sqlite.insert)(table)
