"""Runs the demo: it prepares the data and then runs the outside world, the application and its
worker as processes of their own.
"""

import os
import shutil
import signal
import time
from collections.abc import Callable
from pathlib import Path

import httpx
from sqlalchemy import delete

from relvan.core.refusal import Refused, refuse
from relvan.demo.outside import use_mailroom, use_scale
from relvan.demo.plan import MARKETS, PASSWORD, PEOPLE
from relvan.demo.scale import add_many
from relvan.demo.seed import Seeder
from relvan.gateways.carriers.dialects import CARRIERS
from relvan.processes import Processes, interrupt, refuse_taken, wait_for
from relvan.services.channels.carriers import connect_carrier
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.open import open_workplace
from relvan.services.people.tokens import make_token
from relvan.services.workplace import SYSTEM
from relvan.settings import Settings
from relvan.store.people import active_people
from relvan.store.schema import bring_up_to_date
from relvan.store.tables import LagSample

READY = "ready"
TOKEN = "relvan-demo-token"


def run_demo(
    data: Path, *, port: int, world_port: int, fresh: bool, scale: int, say: Callable[[str], None]
) -> int:
    """Prepares what is missing, starts everything, waits for Ctrl+C, and returns the exit code."""
    if fresh or not (data / READY).exists():
        shutil.rmtree(data, ignore_errors=True)
    data.mkdir(parents=True, exist_ok=True)
    base, world = f"http://127.0.0.1:{port}", f"http://127.0.0.1:{world_port}"
    token = os.environ.get("RELVAN_DEMO_TOKEN") or TOKEN
    environment = {
        **os.environ,
        "RELVAN_DATA_DIR": str(data),
        "RELVAN_BASE_URL": base,
        "RELVAN_PRIVATE_ADDRESSES": "true",
        "RELVAN_DEMO": "true",
    }
    settings = Settings(
        data_dir=data,
        base_url=base,
        private_addresses=True,
        demo=True,
        demo_token=token,
    )
    running = Processes(environment, "the demo")
    try:
        signal.signal(signal.SIGTERM, interrupt)
        signal.signal(signal.SIGHUP, interrupt)
        refuse_taken(base, world)
        running.start("-m", "standins", "--port", str(world_port), "--data", str(data / "world.db"))
        known = (data / READY).exists()
        if not known:
            refuse_what_holds_more(settings)
        wait_for(f"{world}/world", running)
        if not known:
            # it loads meanwhile, and waits until all is ready
            _prepare(settings, world, scale, say, lambda: _start_application(running, port, data))
            (data / READY).write_text(f"{base} {world}\n")
        elif (data / READY).read_text().split() != [base, world]:
            _find_each_other_again(settings, world)
            (data / READY).write_text(f"{base} {world}\n")
        _keep_token(settings)
        if known:
            _start_application(running, port, data)
        wait_for(f"{base}/healthz", running)
        _tell(base, world, token, say)
        return running.watch(say)
    except KeyboardInterrupt:
        return 0
    except Refused as refused:
        say(f"{refused.first.message} {refused.first.fix}")
        return 1
    finally:
        running.stop()


def _start_application(running: Processes, port: int, data: Path) -> None:
    after = ("--after", str(data / READY))
    running.start("-m", "relvan", "worker", *after)
    running.start("-m", "relvan", "serve", "--port", str(port), *after)


def _prepare(
    settings: Settings,
    world: str,
    scale: int,
    say: Callable[[str], None],
    meanwhile: Callable[[], None],
) -> None:
    started = time.monotonic()
    say("Preparing the demo data; this is done once.")
    Seeder(settings, world, lambda words: say(f"  {words}")).run(meanwhile)
    workplace = open_workplace(settings)
    with workplace.database.writing() as session:
        session.execute(delete(LagSample))  # the scenario's clock is not a measurement
    if scale:
        say(f"  {scale:,} further products")
        add_many(workplace.database, scale)
    workplace.close()
    say(f"  ready after {time.monotonic() - started:.0f} s")


def refuse_what_holds_more(settings: Settings) -> None:
    """Refuses to put the demo into a database that holds anything else."""
    workplace = open_workplace(settings)
    bring_up_to_date(workplace.database)
    with workplace.database.reading() as session:
        there = active_people(session)
    workplace.close()
    if there:
        raise refuse(
            "not-empty",
            "The database that RELVAN_DATABASE_URL names holds something already.",
            "Name an empty one for the demo, or none.",
        )


def _find_each_other_again(settings: Settings, world: str) -> None:
    """Connects channels, carrier, mailroom and scale again when they were started at other addresses than
    last time.
    """
    whole = httpx.get(f"{world}/world", timeout=10).json()
    there = whole["standins"]
    workplace = open_workplace(settings)
    use_mailroom(workplace, whole["mailroom"])
    use_scale(workplace, world)
    for key in MARKETS:
        connect_channel(
            workplace, SYSTEM, ConnectChannel(key, there[key]["seller_api"], there[key]["token"])
        )
    for key in CARRIERS:
        one = there[key]
        connect_carrier(workplace, SYSTEM, key, one["name"], one["seller_api"], one["token"])
    workplace.close()


def _keep_token(settings: Settings) -> None:
    """Makes the API token of this start valid, whichever token the demo was created with."""
    workplace = open_workplace(settings)
    make_token(workplace, "demo", PEOPLE[0][0], settings.demo_token)
    workplace.close()


def _tell(base: str, world: str, token: str, say: Callable[[str], None]) -> None:
    say("")
    say(f"Relvan            {base}")
    say(f"The outside world {world}")
    say(
        f"Sign in as        {', '.join(login for login, _, _ in PEOPLE)}; the password is {PASSWORD}"
    )
    say(f"API token         {token}")
    say("Ctrl+C ends all of it.")
