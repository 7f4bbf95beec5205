"""The queue: Huey on SQLite in the box, on Redis when a URL names it. What must happen lies in our own tables,
so that losing the queue loses nothing."""

import contextlib
import logging
import time
from collections.abc import Callable
from typing import Any

from huey import RedisHuey, SqliteHuey
from huey.api import Huey
from redis import ConnectionPool

from relvan.core.refusal import DatabaseAway
from relvan.settings import Settings

CONNECT_S, ANSWER_S = 1.0, 3.0  # of a queue server: nobody who changes something waits longer to wake a worker


def open_queue(settings: Settings, *, immediate: bool = False) -> Huey:
    """The queue that the settings name."""
    if settings.queue_url:
        pool = ConnectionPool.from_url(settings.queue_url, socket_connect_timeout=CONNECT_S, socket_timeout=ANSWER_S)
        return RedisHuey("relvan", connection_pool=pool, immediate=immediate)
    settings.data_dir.mkdir(parents=True, exist_ok=True)
    return SqliteHuey("relvan", filename=str(settings.data_dir / "queue.db"), immediate=immediate, fsync=False)


def register_delivery(queue: Huey, deed: Callable[[int], None]) -> Any:
    """The one task of the queue. Defined here for those who wake and those who work, so that its name is the same."""

    def deliver(which: int) -> None:
        deed(which)

    return queue.task(name="deliver")(deliver)


class Seldom(logging.Filter):
    """Lets trouble that comes back many times a second be told once a minute and in a line: that the queue is away (the
    schedule does the work meanwhile), or the database. `only` trouble of a kind; all errors without one."""

    def __init__(self, only: type[Exception] | None = None, every_s: float = 60.0) -> None:
        super().__init__()
        self.only, self.every_s, self._told_at = only, every_s, -every_s

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether to tell it now."""
        if record.levelno < logging.ERROR or not self._is_meant(record):
            return True
        now = time.monotonic()
        if now - self._told_at < self.every_s:
            return False
        self._told_at = now
        if record.exc_info:
            record.msg, record.args = f"{record.getMessage()}: {record.exc_info[1]}", ()
            record.exc_info = None
        return True

    def _is_meant(self, record: logging.LogRecord) -> bool:
        if self.only is None:
            return True
        return record.exc_info is not None and isinstance(record.exc_info[1], self.only)


def quieten() -> None:
    """Tell seldom that the queue or the database is away."""
    seldom = Seldom()
    for name in ("huey.consumer.Worker", "huey.consumer.Scheduler"):
        logging.getLogger(name).addFilter(seldom)
    logging.getLogger("relvan.worker").addFilter(Seldom(only=DatabaseAway))


class Waker:
    """Puts a note into the queue that there is something to do; best effort, the schedule finds it otherwise."""

    def __init__(self, queue: Huey) -> None:
        self.tasks: dict[str, Any] = {"deliver": register_delivery(queue, _nobody)}

    def __call__(self, what: str, which: int) -> None:
        with contextlib.suppress(Exception):  # the queue may be lost; the work lies in the outbox
            self.tasks[what](which)


def _nobody(_which: int) -> None:
    raise NotImplementedError("Only a worker carries this out.")
