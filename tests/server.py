"""Starts PostgreSQL and Redis from the machine's own packages for tests, on loopback, and stops
them afterwards."""

import os
import pwd
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import contextmanager
from pathlib import Path

import psycopg
import uvicorn
from sqlalchemy import make_url

from tests.waiting import wait_until

PROGRAMS = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
QUICK = "-c fsync=off -c synchronous_commit=off -c full_page_writes=off -c max_connections=200"


def lacking():
    """Says why tests on servers cannot run here, or returns "" when they can."""
    if not PROGRAMS or not (PROGRAMS[-1] / "initdb").exists():
        return "PostgreSQL is not installed here"
    return "" if shutil.which("redis-server") else "Redis is not installed here"


class Postgres:
    """Databases for tests on a server, whose address names one that is there to connect to."""

    def __init__(self, url):
        self.address, self.count = make_url(url), 0

    def make(self, like=""):
        """Returns the name of a new database, like another one if it is named."""
        self.count += 1
        name = f"t{os.getpid()}_{self.count}"
        self._say(
            f"CREATE DATABASE {name}" + (f" TEMPLATE {like} STRATEGY FILE_COPY" if like else "")
        )
        return name

    def drop(self, name):
        self._say(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")

    def url(self, name):
        return self.address.set(database=name).render_as_string(hide_password=False)

    def _say(self, statement):
        address = self.address.set(drivername="postgresql").render_as_string(hide_password=False)
        with psycopg.connect(address, autocommit=True) as there:
            there.execute(statement)


@contextmanager
def postgres_started():
    """Starts a database server in a folder of its own."""
    room = os.environ.get("PYTEST_DEBUG_TEMPROOT")  # in memory where there is room
    folder, port = Path(tempfile.mkdtemp(prefix="relvan-postgres-", dir=room)), free_port()
    if os.geteuid() == 0:  # it will not run as root
        shutil.chown(folder, "postgres")
    data = str(folder / "data")
    _run("initdb", "-D", data, "-U", "relvan", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8")
    options = f"-p {port} -k {folder} -c listen_addresses=127.0.0.1 {QUICK}"
    _run("pg_ctl", "-D", data, "-o", options, "-l", str(folder / "log"), "-w", "start")
    try:
        yield Postgres(f"postgresql+psycopg://relvan@127.0.0.1:{port}/postgres")
    finally:
        _run("pg_ctl", "-D", data, "-m", "immediate", "stop")
        shutil.rmtree(folder, ignore_errors=True)


def _run(program, *arguments):
    as_user = {}
    if os.geteuid() == 0:
        who = pwd.getpwnam("postgres")
        as_user = {"user": who.pw_uid, "group": who.pw_gid, "extra_groups": [], "cwd": "/"}
    command = [str(PROGRAMS[-1] / program), *arguments]
    subprocess.run(
        command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **as_user
    )


@contextmanager
def redis_started():
    """Starts a server that keeps nothing, and returns its address."""
    port = free_port()
    command = [
        "redis-server",
        "--port",
        str(port),
        "--bind",
        "127.0.0.1",
        "--save",
        "",
        "--appendonly",
        "no",
    ]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        until = time.monotonic() + 10
        while not _listens(port):
            assert time.monotonic() < until, "Redis did not start"
            time.sleep(0.02)
        yield f"redis://127.0.0.1:{port}/0"
    finally:
        process.terminate()
        process.wait(timeout=10)


def _listens(port):
    with socket.socket() as asked:
        return asked.connect_ex(("127.0.0.1", port)) == 0


def free_port():
    """Returns a port nobody listens on."""
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        return listener.getsockname()[1]


class Served:
    """An ASGI application served by a thread, on a port of its own."""

    def __init__(self, make):
        self.port = free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        self.app = make(self.url)
        config = uvicorn.Config(
            self.app, port=self.port, log_level="critical", timeout_graceful_shutdown=1
        )
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)

    def __enter__(self):
        self.thread.start()
        until = time.monotonic() + 15
        while not self.server.started:
            assert time.monotonic() < until, "the server did not start"
            time.sleep(0.01)
        return self

    def __exit__(self, *_):
        self.server.should_exit = True
        self.thread.join(timeout=10)


def _mind_interrupts():
    """Lets a process end by Ctrl+C, also where the tests were started in the background and ignore it."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


@contextmanager
def firm_started(folder, *, command=(sys.executable, "-P", "-m", "relvan"), **more):
    """Starts `relvan run` on a data folder in an otherwise empty folder, waits until it works, and
    returns (process, what it said, address)."""
    base = f"http://127.0.0.1:{(port := free_port())}"
    environment = {name: value for name, value in os.environ.items() if "RELVAN" not in name}
    words = folder / "words.txt"
    with (
        words.open("w") as said,
        subprocess.Popen(
            [*command, "run", "--port", str(port), "--data", "data"],
            cwd=folder,
            env={**environment, **more},
            stdout=said,
            stderr=said,
            preexec_fn=_mind_interrupts,
        ) as process,
    ):
        wait_until(lambda: "Ctrl+C" in words.read_text() or process.poll() is not None, 90)
        try:
            yield process, words.read_text(), base
        finally:
            process.send_signal(signal.SIGINT)
            process.wait(30)
