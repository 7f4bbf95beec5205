"""Column types that a STRICT SQLite table takes, and that a bigger server database takes as well."""

from datetime import UTC, datetime
from typing import Any

import orjson
from sqlalchemy import Integer, Text
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator

FORMAT = "%Y-%m-%dT%H:%M:%S.%fZ"
JSON = orjson.OPT_NON_STR_KEYS | orjson.OPT_SORT_KEYS


class Instant(TypeDecorator[datetime]):
    """A moment in UTC, kept as text that sorts as time does."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> str | None:
        return None if value is None else value.astimezone(UTC).strftime(FORMAT)

    def process_result_value(self, value: str | None, dialect: Dialect) -> datetime | None:
        return None if value is None else datetime.fromisoformat(value)


class Json(TypeDecorator[Any]):
    """Plain data as JSON text."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> str | None:
        return None if value is None else orjson.dumps(value, option=JSON).decode()

    def process_result_value(self, value: str | None, dialect: Dialect) -> Any:
        if value is None:
            return None
        return orjson.loads(value)


class Flag(TypeDecorator[bool]):
    """Yes or no, kept as 1 or 0."""

    impl = Integer
    cache_ok = True

    def process_bind_param(self, value: bool | None, dialect: Dialect) -> int | None:
        return None if value is None else int(value)

    def process_result_value(self, value: int | None, dialect: Dialect) -> bool | None:
        return None if value is None else bool(value)
