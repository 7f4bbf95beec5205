"""Defines column types that a STRICT SQLite table takes and that a bigger database server takes as
well.
"""

from datetime import UTC, datetime
from typing import Any

import orjson
from sqlalchemy import Boolean, Integer, Text
from sqlalchemy.dialects.postgresql import CITEXT
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator, TypeEngine

from relvan.core.channels.subject import UpdateSubject

JSON = orjson.OPT_NON_STR_KEYS | orjson.OPT_SORT_KEYS


class Instant(TypeDecorator[datetime]):
    """A moment in UTC, stored as text that sorts as time does."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> str | None:
        if value is None:
            return None
        return f"{value.astimezone(UTC).replace(tzinfo=None).isoformat(timespec='microseconds')}Z"

    def process_result_value(self, value: str | None, dialect: Dialect) -> datetime | None:
        return None if value is None else datetime.fromisoformat(value)


class SubjectText(TypeDecorator[UpdateSubject]):
    """What an update is about, stored in its text form."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: UpdateSubject | None, dialect: Dialect) -> str | None:
        return None if value is None else str(value)

    def process_result_value(self, value: str | None, dialect: Dialect) -> UpdateSubject | None:
        return None if value is None else UpdateSubject.read(value)


class Json(TypeDecorator[Any]):
    """Plain data, stored as JSON text."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> str | None:
        return None if value is None else orjson.dumps(value, option=JSON).decode()

    def process_result_value(self, value: str | None, dialect: Dialect) -> Any:
        if value is None:
            return None
        return orjson.loads(value)


class Flag(TypeDecorator[bool]):
    """Yes or no, stored as 1 or 0 where the database has no type for it."""

    impl = Integer
    cache_ok = True

    class comparator_factory(TypeDecorator.Comparator[bool]):
        """Compares by `=`, because `IS` takes no parameter on a server."""

        def is_(self, other: Any) -> Any:
            return super().is_(other) if other is None else self.__eq__(other)

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        return dialect.type_descriptor(Boolean() if dialect.name == "postgresql" else Integer())

    def process_bind_param(self, value: bool | None, dialect: Dialect) -> bool | int | None:
        return value if value is None or dialect.name == "postgresql" else int(value)

    def process_result_value(self, value: int | None, dialect: Dialect) -> bool | None:
        return None if value is None else bool(value)


class Folded(TypeDecorator[str]):
    """Text that is compared without regard to case."""

    impl = Text
    cache_ok = True

    def load_dialect_impl(self, dialect: Dialect) -> TypeEngine[Any]:
        return dialect.type_descriptor(
            CITEXT() if dialect.name == "postgresql" else Text(collation="NOCASE")
        )
