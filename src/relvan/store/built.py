"""Statements that are built once and then run with other values.

Building a small statement, and finding out that it was compiled before, takes SQLAlchemy several times
as long as running it. What is asked again and again is therefore built by a function of its own, whose
parameters stand for the values (docs/decisions/024).
"""

from collections.abc import Callable, Collection
from functools import cache, wraps
from inspect import signature
from typing import Any, ParamSpec, TypeVar

import orjson
from sqlalchemy import CursorResult, Executable, bindparam
from typing_extensions import TypeIs

from relvan.store.session import Session, connection_of

P = ParamSpec("P")
Statement = TypeVar("Statement")
LONG = 200  # a list of so many values may be a range, which is sooner found when it is built anew


def built_once(build: Callable[P, Statement]) -> Callable[P, tuple[Statement, dict[str, Any]]]:
    """Turns a function that builds a statement from values into one that returns the statement and
    the values with which it is run: `session.execute(*orders_named(numbers))`.

    The statement must be the same whatever the values: they may only be compared, bounded
    (`limit`), or given to `among`, which finds a list of them.
    """
    names = list(signature(build).parameters)

    @cache
    def built() -> Statement:
        return build(*(bindparam(name) for name in names))  # type: ignore[call-arg,arg-type]

    @wraps(build)
    def with_values(*args: P.args, **named: P.kwargs) -> tuple[Statement, dict[str, Any]]:
        values = [*args, *(named[name] for name in names[len(args) :])]
        if any(_is_list(value) and len(value) > LONG for value in values):
            return build(*args, **named), {}
        return built(), dict(zip(names, map(_parameter, values), strict=True))

    return with_values


def bare_rows(
    session: Session, statement: Executable, values: dict[str, Any] | None = None
) -> CursorResult[*tuple[Any, ...]]:
    """Runs a query of columns without the object layer, which costs three times as much as a small
    query itself. What the session still holds is saved before, as the object layer would do it.
    """
    if session.autoflush:
        session.flush()
    return connection_of(session).execute(statement, values)


def _is_list(value: object) -> TypeIs[Collection[object]]:
    return isinstance(value, Collection) and not isinstance(value, str | bytes)


def _parameter(value: Any) -> Any:
    return orjson.dumps(list(value)).decode() if _is_list(value) else value
