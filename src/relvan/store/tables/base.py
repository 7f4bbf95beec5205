"""Defines what all tables share."""

from datetime import datetime
from typing import Any, ClassVar

from sqlalchemy import BigInteger, Integer, MetaData, Text
from sqlalchemy.orm import DeclarativeBase
from sqlalchemy.schema import SchemaItem

from relvan.core.channels.subject import UpdateSubject
from relvan.store.types import Flag, Instant, Json, SubjectText

NAMES = {
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "pk": "pk_%(table_name)s",
}
STRICT: dict[str, Any] = {"sqlite_strict": True}


class Table(DeclarativeBase):
    """A table, with column types that STRICT tables take."""

    metadata = MetaData(naming_convention=NAMES)
    type_annotation_map: ClassVar[dict[Any, Any]] = {
        str: Text(),
        int: Integer().with_variant(BigInteger(), "postgresql"),  # 64 bits, as in the box
        datetime: Instant(),
        bool: Flag(),
        UpdateSubject: SubjectText(),
        dict[str, Any]: Json(),
        list[Any]: Json(),
    }
    __table_args__: Any = STRICT
    # Python knows every default before a row is written. The mapper need not read any back, and so writes
    # many new rows with one statement.
    __mapper_args__: Any = {"eager_defaults": False}


def strict(*items: SchemaItem) -> tuple[Any, ...]:
    """Returns the arguments of a table with its constraints and indexes."""
    return (*items, STRICT)
