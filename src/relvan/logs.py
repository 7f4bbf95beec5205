"""Writes what happens as one line of JSON per event, for people and for tools that gather logs.

A line has `at` (ISO 8601, UTC), `level`, `logger` and `event`, and where they are known `reference`
(the one that error pages show), `method`, `route`, `status`, `ms` and `error`. Of an error it tells
the kind and the places in the code, not its words, because these may hold names or addresses of
people.
"""

import json
import logging
import time
import traceback
from datetime import UTC, datetime
from typing import Any

from starlette.types import ASGIApp, Message, Receive, Scope, Send

TOLD = ("reference", "method", "route", "status", "ms", "job")
MOST_PLACES = 12
log = logging.getLogger("relvan.requests")


class JsonLines(logging.Formatter):
    """Lays a record out as one line of JSON."""

    def format(self, record: logging.LogRecord) -> str:
        """Returns the line of a record, without its end."""
        at = datetime.fromtimestamp(record.created, UTC)
        line: dict[str, Any] = {
            "at": at.isoformat(timespec="milliseconds").replace("+00:00", "Z"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "event": record.getMessage(),
        }
        line |= {name: getattr(record, name) for name in TOLD if hasattr(record, name)}
        if record.exc_info and record.exc_info[1] is not None:
            line["error"] = _told_error(record.exc_info[1])
        return json.dumps(line, ensure_ascii=False)


def _told_error(error: BaseException) -> dict[str, Any]:
    places = [
        f"{frame.filename.rpartition('/src/')[2]}:{frame.lineno} {frame.name}"
        for frame in traceback.extract_tb(error.__traceback__)[-MOST_PLACES:]
    ]
    told: dict[str, Any] = {"kind": type(error).__qualname__, "places": places}
    cause = error.__cause__
    return {**told, "cause": type(cause).__qualname__} if cause is not None else told


def begin_logs(level: str) -> None:
    """Lets every logger of this process write lines of JSON to standard error, from a level on."""
    handler = logging.StreamHandler()
    handler.setFormatter(JsonLines())
    logging.basicConfig(level=level.upper(), handlers=[handler], force=True)
    for quiet in ("httpx", "httpcore", "alembic", "fontTools", "weasyprint"):
        logging.getLogger(quiet).setLevel(logging.WARNING)


class RequestLog:
    """Writes a line at the level *info* for every request: method, route (not the address, which may
    hold names), status, and milliseconds.
    """

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not log.isEnabledFor(logging.INFO):
            await self._app(scope, receive, send)
            return
        began, status = time.perf_counter(), 500

        async def noting(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        try:
            await self._app(scope, receive, noting)
        finally:
            route = getattr(scope.get("route"), "path", "none")
            told = {"method": scope["method"], "route": route, "status": status}
            ms = round(1000 * (time.perf_counter() - began), 1)
            log.info("request", extra={**told, "ms": ms})
