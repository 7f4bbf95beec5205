"""Turns the rows of a query into the flat, typed rows that a view takes."""

from collections.abc import Callable
from typing import Any, TypeVar

from sqlalchemy import Select
from sqlalchemy.orm import Session

from relvan.store.built import bare_rows

Row = TypeVar("Row")


def rows_as(
    kind: Callable[..., Row], session: Session, statement: Select[*tuple[Any, ...]]
) -> list[Row]:
    """Runs a query whose columns are the fields of `kind`, in order, and returns its rows as values
    of `kind`.
    """
    return [kind(*row) for row in bare_rows(session, statement)]
