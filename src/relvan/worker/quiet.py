"""Reports trouble that keeps coming back only now and then."""

import logging
import time


class Seldom(logging.Filter):
    """A log filter that lets repeated trouble pass once a minute and in one line, such as a server
    of signals that is away (the worker then finds its work by looking) or a database that is away.
    With `only` it filters one kind of error, otherwise all of them.
    """

    def __init__(self, only: type[Exception] | None = None, every_s: float = 60.0) -> None:
        super().__init__()
        self.only, self.every_s, self._told_at = only, every_s, -every_s

    def filter(self, record: logging.LogRecord) -> bool:
        """Says whether to report this record now."""
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
