"""Column types that a STRICT SQLite table takes, and that a bigger server database takes as well."""

import json
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Integer, Text
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator

FORMAT = "%Y-%m-%dT%H:%M:%S.%fZ"
_as_json = json.JSONEncoder(ensure_ascii=False, sort_keys=True).encode


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
        return None if value is None else "{}" if value == {} else "[]" if value == [] else _as_json(value)

    def process_result_value(self, value: str | None, dialect: Dialect) -> Any:
        if value is None:
            return None
        return {} if value == "{}" else [] if value == "[]" else json.loads(value)


class Flag(TypeDecorator[bool]):
    """Yes or no, kept as 1 or 0."""

    impl = Integer
    cache_ok = True

    def process_bind_param(self, value: bool | None, dialect: Dialect) -> int | None:
        return None if value is None else int(value)

    def process_result_value(self, value: int | None, dialect: Dialect) -> bool | None:
        return None if value is None else bool(value)
