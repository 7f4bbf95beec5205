"""Runs several processes as one command, until Ctrl+C."""

import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import httpx

PATIENCE_S = 60.0
MOST_RESTARTS = 8
RESTART_WINDOW_S = 20.0


def wait_for_file(path: Path | None) -> None:
    """Waits until a file is there, so that a process may be started, and load, before it may do anything. The
    process ends when the one that started it is gone, since nobody would write the file then."""
    parent = os.getppid()
    while path is not None and not path.exists():
        if os.getppid() != parent:
            sys.exit(1)
        time.sleep(0.1)


class Processes:
    """Processes that are started, watched and stopped together. One that ends is started again; one
    that keeps ending ends all.
    """

    def __init__(self, environment: dict[str, str], name: str) -> None:
        self._environment, self._name = environment, name
        self._running: dict[tuple[str, ...], subprocess.Popen[bytes]] = {}
        self._restarts: list[float] = []

    def start(self, *arguments: str) -> None:
        """Starts a process in its own session, so that Ctrl+C reaches us first and we stop it in
        order.
        """
        command = [sys.executable, *arguments]
        self._running[arguments] = subprocess.Popen(
            command, env=self._environment, start_new_session=True
        )

    def ended(self) -> list[tuple[str, ...]]:
        """Returns the processes that have ended."""
        return [
            arguments for arguments, process in self._running.items() if process.poll() is not None
        ]

    def watch(self, say: Callable[[str], None]) -> int:
        """Keeps them running until Ctrl+C, or returns the exit code when a process keeps ending."""
        while True:
            for arguments in self.ended():
                now = time.monotonic()
                self._restarts = [
                    *(at for at in self._restarts if now - at < RESTART_WINDOW_S),
                    now,
                ]
                if len(self._restarts) > MOST_RESTARTS:
                    say(f"{' '.join(arguments[1:3])} keeps ending; stopping {self._name}.")
                    return 1
                say(f"{' '.join(arguments[1:3])} ended; starting it again.")
                self.start(*arguments)
            time.sleep(0.3)

    def stop(self) -> None:
        """Ends all of them, the last started first."""
        processes = list(reversed(self._running.values()))
        for process in processes:
            process.terminate()
        for process in processes:
            try:
                process.wait(timeout=10)
            except subprocess.TimeoutExpired:
                process.kill()


def wait_for(address: str, running: Processes) -> None:
    """Waits until an address answers; ends the command when a process ends instead."""
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        if running.ended():
            raise SystemExit("A process ended instead of starting; its words are above.")
        try:
            if httpx.get(address, timeout=2).is_success:
                return
        except httpx.HTTPError:
            time.sleep(0.1)
    raise SystemExit(f"{address} did not answer within {PATIENCE_S:.0f} s.")


def refuse_taken(*addresses: str) -> None:
    """Ends the command when something answers at one of the addresses already."""
    for address in addresses:
        try:
            httpx.get(address, timeout=1)
        except httpx.ConnectError:
            continue
        except httpx.HTTPError:
            pass
        raise SystemExit(
            f"Something answers at {address} already. Stop it, or choose another port."
        )


def interrupt(_number: int, _frame: object) -> None:
    """Ends the command as Ctrl+C does."""
    raise KeyboardInterrupt
