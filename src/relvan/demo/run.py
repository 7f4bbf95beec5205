"""Runs the demo: the outside world, the application and its worker as processes of their own, data first."""

import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import httpx
from sqlalchemy import delete

from relvan.core.refusal import Refused
from relvan.demo.scale import add_many
from relvan.demo.seed import PASSWORD, PEOPLE, Seeder
from relvan.services.workplace import Workplace
from relvan.settings import Settings
from relvan.store.tables import LagSample

READY = "ready"
TOKEN = "relvan-demo-token"
PATIENCE_S = 60.0


def run_demo(data: Path, *, port: int, world_port: int, fresh: bool, scale: int, say: Callable[[str], None]) -> int:
    """Prepare what is missing, start everything, and wait for Ctrl+C; the exit code."""
    if fresh or not (data / READY).exists():
        shutil.rmtree(data, ignore_errors=True)
    data.mkdir(parents=True, exist_ok=True)
    base, world = f"http://127.0.0.1:{port}", f"http://127.0.0.1:{world_port}"
    token = os.environ.get("RELVAN_DEMO_TOKEN", TOKEN)
    environment = {
        **os.environ,
        "RELVAN_DATA_DIR": str(data),
        "RELVAN_BASE_URL": base,
        "RELVAN_PRIVATE_ADDRESSES": "true",
        "RELVAN_SCALE_URL": f"{world}/devices/scale",
        "RELVAN_DEMO": "true",
    }
    settings = Settings(
        data_dir=data, base_url=base, private_addresses=True, scale_url=f"{world}/devices/scale", demo=True,
        demo_token=token,
    )  # fmt: skip
    running: list[subprocess.Popen[bytes]] = []
    try:
        signal.signal(signal.SIGTERM, _stop)
        _refuse_taken(base, world)
        running.append(
            _start(["-m", "standins", "--port", str(world_port), "--data", str(data / "world.db")], environment)
        )
        _wait_for(f"{world}/world", running)
        if not (data / READY).exists():
            _prepare(settings, world, scale, say)
            (data / READY).write_text("The demo data are complete.\n")
        running.append(_start(["-m", "relvan", "worker"], environment))
        running.append(_start(["-m", "relvan", "serve", "--port", str(port)], environment))
        _wait_for(f"{base}/healthz", running)
        _tell(base, world, token, say)
        return _watch(running, say)
    except KeyboardInterrupt:
        return 0
    except Refused as refused:
        say(f"{refused.first.message} {refused.first.fix}")
        return 1
    finally:
        for process in reversed(running):
            process.terminate()
        for process in running:
            try:
                process.wait(timeout=10)
            except subprocess.TimeoutExpired:
                process.kill()


def _prepare(settings: Settings, world: str, scale: int, say: Callable[[str], None]) -> None:
    started = time.monotonic()
    say("Preparing the demo data; this is done once.")
    Seeder(settings, world, lambda words: say(f"  {words}")).run()
    workplace = Workplace(settings)
    with workplace.database.writing() as session:
        session.execute(delete(LagSample))  # the scenario's clock is not a measurement
    if scale:
        say(f"  {scale:,} further products")
        add_many(workplace.database, scale)
    workplace.close()
    say(f"  ready after {time.monotonic() - started:.0f} s")


def _tell(base: str, world: str, token: str, say: Callable[[str], None]) -> None:
    say("")
    say(f"Relvan            {base}")
    say(f"The outside world {world}")
    say(f"Sign in as        {', '.join(login for login, _, _ in PEOPLE)}; the password is {PASSWORD}")
    say(f"API token         {token}")
    say("Ctrl+C ends all of it.")


def _start(arguments: list[str], environment: dict[str, str]) -> subprocess.Popen[bytes]:
    """Start a process in its own session, so that Ctrl+C reaches us first and we stop it in order."""
    return subprocess.Popen([sys.executable, *arguments], env=environment, start_new_session=True)


def _wait_for(address: str, running: list[subprocess.Popen[bytes]]) -> None:
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        if any(process.poll() is not None for process in running):
            raise SystemExit("One of the demo's processes ended; its words are above.")
        try:
            if httpx.get(address, timeout=2).is_success:
                return
        except httpx.HTTPError:
            time.sleep(0.1)
    raise SystemExit(f"{address} did not answer within {PATIENCE_S:.0f} s.")


def _refuse_taken(*addresses: str) -> None:
    for address in addresses:
        try:
            httpx.get(address, timeout=1)
        except httpx.ConnectError:
            continue
        except httpx.HTTPError:
            pass
        raise SystemExit(f"Something answers at {address} already. Stop it, or choose another port.")


def _watch(running: list[subprocess.Popen[bytes]], say: Callable[[str], None]) -> int:
    while all(process.poll() is None for process in running):
        time.sleep(0.3)
    say("One of the demo's processes ended; stopping the others.")
    return 1


def _stop(_number: int, _frame: object) -> None:
    raise KeyboardInterrupt
