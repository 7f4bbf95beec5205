"""Sends signals that wake the worker after a change was saved: through a pipe in the data folder,
or through the server that the settings name. A signal that is lost loses nothing, because the
worker also finds the work by looking.
"""

import logging
import os
import select
import stat
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Protocol
from urllib.parse import quote

import psycopg
from redis import Redis
from redis.exceptions import RedisError

from relvan.core.waking import Task, Work
from relvan.settings import Settings
from relvan.store.database import driver_address
from relvan.worker.quiet import Seldom

log = logging.getLogger("relvan.signals")
log.addFilter(Seldom())
NAME = "relvan"
CONNECT_S, ANSWER_S = (
    1.0,
    3.0,
)  # of a server: nobody who changes something waits longer to wake a worker
Heard = Callable[[Task], None]


class Signals(Protocol):
    """A way from those who change something to the worker."""

    listening: threading.Event  # set while what is sent would be heard here

    def send(self, task: Task) -> None:
        """Tells every worker of a task."""

    def listen(self, heard: Heard, stop: int) -> None:
        """Hands over the tasks that are told until the file descriptor `stop` can be read."""

    def close(self) -> None:
        """Closes connections."""


def open_signals(settings: Settings) -> Signals:
    """Returns the signals of these settings: of the queue server if one is named, otherwise of the
    database server, otherwise pipes.
    """
    if settings.queue_url:
        return RedisSignals(settings.queue_url)
    if settings.database.startswith("postgresql"):
        return PostgresSignals(settings.database)
    return PipeSignals(settings.data_dir / "signals", settings.worker_name)


class Waker:
    """Tells the worker of a task. A task that cannot be told is left to the worker's own looking."""

    def __init__(self, signals: Signals) -> None:
        self.signals = signals

    def __call__(self, work: Work, which: int) -> None:
        task = (Work(work), which)
        try:
            self.signals.send(task)
        except (OSError, RedisError, psycopg.Error):
            log.exception("The worker could not be told of %s %s", *task)


def write_task(task: Task) -> bytes:
    """Returns a task as a line of text."""
    return f"{task[0]} {task[1]}\n".encode()


def read_tasks(text: bytes) -> list[Task]:
    """Returns the tasks in some lines; lines that hold none, perhaps from another version, are left
    out.
    """
    found = []
    for line in text.decode(errors="replace").splitlines():
        name, _, which = line.partition(" ")
        if name in set(Work) and which.isascii() and which.isdigit():
            found.append((Work(name), int(which)))
    return found


class PipeSignals:
    """Named pipes in a folder, one for each worker that listens. What is written to a pipe that
    nobody reads, or that is full, is dropped."""

    def __init__(self, folder: Path, worker: str = "worker") -> None:
        self.folder, self.mine = folder, folder / f"{quote(worker, safe='')}.pipe"
        self.listening = threading.Event()

    def send(self, task: Task) -> None:
        """Writes the task into the pipe of every worker."""
        line = write_task(task)
        for path in self.folder.glob("*.pipe"):
            try:
                pipe = os.open(path, os.O_WRONLY | os.O_NONBLOCK)
            except OSError:  # its worker has died
                continue
            try:
                os.write(pipe, line)
            except BlockingIOError:  # it is full of what its worker has yet to hear
                pass
            finally:
                os.close(pipe)

    def listen(self, heard: Heard, stop: int) -> None:
        """Reads the pipe of this worker, which exists while it listens."""
        self.folder.mkdir(parents=True, exist_ok=True)
        self.mine.unlink(missing_ok=True)
        os.mkfifo(self.mine, stat.S_IRUSR | stat.S_IWUSR)
        pipe = os.open(self.mine, os.O_RDWR | os.O_NONBLOCK)
        left = b""
        self.listening.set()
        try:
            while stop not in (ready := select.select([pipe, stop], [], [])[0]):
                if pipe in ready:
                    whole, _, left = (left + os.read(pipe, 65_536)).rpartition(b"\n")
                    for task in read_tasks(whole):
                        heard(task)
        finally:
            self.listening.clear()
            os.close(pipe)
            self.mine.unlink(missing_ok=True)

    def close(self) -> None:
        """Does nothing, because no pipe stays open between signals."""


class RedisSignals:
    """A channel of a Redis server."""

    def __init__(self, url: str) -> None:
        self.redis = Redis.from_url(url, socket_connect_timeout=CONNECT_S, socket_timeout=ANSWER_S)
        self.listening = threading.Event()

    def send(self, task: Task) -> None:
        """Publishes the task."""
        self.redis.publish(NAME, write_task(task))

    def listen(self, heard: Heard, stop: int) -> None:
        """Subscribes, and subscribes again after the server was away."""
        while not _is_stopped(stop, 0):
            try:
                with self.redis.pubsub(ignore_subscribe_messages=True) as heard_from:  # type: ignore[no-untyped-call]
                    heard_from.subscribe(NAME)
                    self.listening.set()
                    while not _is_stopped(stop, 0):
                        message = heard_from.get_message(timeout=0.5)
                        for task in read_tasks(message["data"]) if message else ():
                            heard(task)
            except RedisError:
                log.exception("The queue server is away; the worker finds its work by looking")
                self.listening.clear()
                _is_stopped(stop, 2.0)

    def close(self) -> None:
        """Closes the connections."""
        self.redis.close()


class PostgresSignals:
    """Sends signals by LISTEN and NOTIFY of the database server."""

    def __init__(self, url: str) -> None:
        self.address = driver_address(url)
        self._sender: psycopg.Connection | None = None
        self.listening = threading.Event()

    def send(self, task: Task) -> None:
        """Notifies those who listen. A broken connection is opened again, once."""
        for last in (False, True):
            try:
                if self._sender is None or self._sender.closed:
                    self._sender = psycopg.connect(
                        self.address, autocommit=True, connect_timeout=int(CONNECT_S) + 1
                    )
                self._sender.execute("SELECT pg_notify(%s, %s)", (NAME, write_task(task).decode()))
                return
            except psycopg.OperationalError:
                self._sender = None
                if last:
                    raise

    def listen(self, heard: Heard, stop: int) -> None:
        """Listens, and listens again after the server was away."""
        while not _is_stopped(stop, 0):
            try:
                with psycopg.connect(
                    self.address, autocommit=True, connect_timeout=int(CONNECT_S) + 1
                ) as connection:
                    connection.execute(f"LISTEN {NAME}")
                    self.listening.set()
                    while not _is_stopped(stop, 0):
                        for message in connection.notifies(timeout=0.5):
                            for task in read_tasks(message.payload.encode()):
                                heard(task)
            except psycopg.Error:
                log.exception("The database server is away; the worker finds its work by looking")
                self.listening.clear()
                _is_stopped(stop, 2.0)

    def close(self) -> None:
        """Closes the connection."""
        if self._sender is not None:
            self._sender.close()


def _is_stopped(stop: int, timeout_s: float) -> bool:
    return bool(select.select([stop], [], [], timeout_s)[0])
