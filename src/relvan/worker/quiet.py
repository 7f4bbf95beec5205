"""Trouble that comes back again and again is told now and then."""

import logging
import time


class Seldom(logging.Filter):
    """Lets trouble that comes back many times be told once a minute and in a line: that a server of
    signals is away (the worker finds its work by looking meanwhile), or the database. `only`
    trouble of a kind; all errors without one."""

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
