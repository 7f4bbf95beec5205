"""PostgreSQL and Redis from the machine's own packages, started on loopback for tests and stopped after them."""

import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path

import psycopg

PROGRAMS = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
QUICK = "-c fsync=off -c synchronous_commit=off -c full_page_writes=off -c max_connections=200"


def lacking():
    """Why tests on servers cannot run here; "" when they can."""
    if not PROGRAMS or not (PROGRAMS[-1] / "initdb").exists():
        return "PostgreSQL is not installed here"
    return "" if shutil.which("redis-server") else "Redis is not installed here"


class Postgres:
    """A server in a folder of its own; `make` gives the address of a new database, like another one if it is named."""

    def __init__(self):
        self.folder = Path(tempfile.mkdtemp(prefix="relvan-postgres-"))
        self.port = free_port()
        self.count = 0

    def __enter__(self):
        if os.geteuid() == 0:  # it will not run as root
            shutil.chown(self.folder, "postgres")
        self._run("initdb", "-D", self.data, "-U", "relvan", "-A", "trust", "-E", "UTF8", "--locale=C.UTF-8")
        options = f"-p {self.port} -k {self.folder} -c listen_addresses=127.0.0.1 {QUICK}"
        self._run("pg_ctl", "-D", self.data, "-o", options, "-l", str(self.folder / "log"), "-w", "start")
        return self

    def __exit__(self, *_):
        self._run("pg_ctl", "-D", self.data, "-m", "immediate", "stop")
        shutil.rmtree(self.folder, ignore_errors=True)

    @property
    def data(self):
        return str(self.folder / "data")

    def make(self, like=""):
        """A new database."""
        self.count += 1
        name = f"t{os.getpid()}_{self.count}"
        self.say(f"CREATE DATABASE {name}" + (f" TEMPLATE {like} STRATEGY FILE_COPY" if like else ""))
        return name

    def drop(self, name):
        self.say(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)")

    def url(self, name):
        return f"postgresql+psycopg://relvan@127.0.0.1:{self.port}/{name}"

    def say(self, statement):
        with psycopg.connect(f"host=127.0.0.1 port={self.port} user=relvan dbname=postgres", autocommit=True) as there:
            there.execute(statement)

    def _run(self, program, *arguments):
        as_user = {}
        if os.geteuid() == 0:
            who = pwd.getpwnam("postgres")
            as_user = {"user": who.pw_uid, "group": who.pw_gid, "extra_groups": [], "cwd": "/"}
        command = [str(PROGRAMS[-1] / program), *arguments]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **as_user)


class Redis:
    """A server that keeps nothing."""

    def __init__(self):
        self.port, self.count = free_port(), 0
        self.url = f"redis://127.0.0.1:{self.port}/0"

    def next_url(self):
        """The address of another one of its sixteen rooms, in turn."""
        self.count += 1
        return f"redis://127.0.0.1:{self.port}/{self.count % 16}"

    def __enter__(self):
        command = ["redis-server", "--port", str(self.port), "--bind", "127.0.0.1", "--save", "", "--appendonly", "no"]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        until = time.monotonic() + 10
        while time.monotonic() < until:
            with socket.socket() as asked:
                if asked.connect_ex(("127.0.0.1", self.port)) == 0:
                    return self
            time.sleep(0.02)
        raise AssertionError("Redis did not start")

    def __exit__(self, *_):
        self.process.terminate()
        self.process.wait(timeout=10)


def free_port():
    """A port nobody listens on."""
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        return listener.getsockname()[1]
