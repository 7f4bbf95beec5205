"""What an idle worker costs, and how soon it takes up a change all the same: the share of one core
over a minute with four channels connected and polled as their rulebooks say, and the time from a
saved change to its bulk job being done.

Floor: a process that only sleeps, and a transaction that writes one row.
"""

import os
import subprocess
import sys
import time

from sqlalchemy import update

from ground import OWNER, figures, new_workplace, report, temporary, timed
from relvan.core.catalogue.bulk import Operation
from relvan.services.catalogue.bulk import change_many
from relvan.services.workplace import Workplace
from relvan.store.jobs import job_rows
from relvan.store.tables import Channel
from relvan.worker.signals import Waker, open_signals
from shop import SKU, Served, World, list_everywhere, worker_process
from standins.app import make_world_app

MINUTE_S, CHANGES = 60.0, 60


def main() -> None:
    """Measures both figures and prints them."""
    with (
        temporary() as folder,
        Served(lambda url: make_world_app(f"{folder}/world.db", url)) as served,
    ):
        workplace = new_workplace(f"{folder}/data")
        workplace.wake = Waker(open_signals(workplace.settings))
        list_everywhere(workplace, World(served.url), 900)
        with worker_process(f"{folder}/data", 8.0) as worker:
            idle = share_of_core(worker.pid, MINUTE_S)
            waits = [taken_up(workplace, f"brand {number}") for number in range(CHANGES)]
        floor = figures(timed(lambda: write_one(workplace), 100))
    with subprocess.Popen([sys.executable, "-c", "import time; time.sleep(30)"]) as sleeper:
        asleep = share_of_core(sleeper.pid, 10.0)
        sleeper.terminate()
    report(
        "idle",
        {
            "idle_percent_of_a_core": idle,
            "floor_asleep_percent": asleep,
            "target_percent": 2,
            "taken_up": figures(waits),
            "floor_one_transaction": floor,
            "target_taken_up_p95_ms": 50,
        },
    )


def share_of_core(pid: int, seconds: float) -> float:
    """Returns the share of one core that a process takes, in percent."""
    before, start = cpu_s(pid), time.perf_counter()
    time.sleep(seconds)
    return round(100 * (cpu_s(pid) - before) / (time.perf_counter() - start), 2)


def cpu_s(pid: int) -> float:
    """Returns the seconds of processor time that a process has taken so far."""
    with open(f"/proc/{pid}/stat") as file:
        fields = file.read().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def taken_up(workplace: Workplace, brand: str) -> float:
    """Returns the seconds from a change being saved to the worker having taken it up and rehearsed
    it.
    """
    job = change_many(workplace, OWNER, [Operation("brand", "set", brand)], skus=[SKU])
    start = time.perf_counter()
    while True:
        with workplace.database.reading() as session:
            if job_rows(session, job_id=job)[0].state != "reading":
                break
        time.sleep(0.001)
    taken = time.perf_counter() - start
    time.sleep(0.2)
    return taken


def write_one(workplace: Workplace) -> None:
    """Runs a write transaction that is as small as one can be."""
    with workplace.database.writing() as session:
        session.execute(update(Channel).where(Channel.key == "ownshop").values(last_error=""))


if __name__ == "__main__":
    main()
