"""What the benchmarks share: a workplace to measure in, and figures from samples."""

import json
import statistics
import tempfile
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from time import perf_counter
from typing import Any

from relvan.core.people.roles import Role
from relvan.services.open import open_workplace
from relvan.services.people.sign_in import add_person
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.settings import Settings
from relvan.store.schema import bring_up_to_date
from relvan.store.session import Session
from relvan.store.tables import Bin, Channel, PriceList, SupplyWarehouse, Warehouse

ROOT = Path(__file__).resolve().parent.parent
OWNER = Actor(1, "Owner", Role.OWNER, "hand")


def new_workplace(folder: str | Path, **more: Any) -> Workplace:
    """Returns a furnished workplace in an empty folder."""
    workplace = open_workplace(
        Settings(data_dir=Path(folder), private_addresses=True, _env_file=None), **more
    )
    bring_up_to_date(workplace.database)
    add_person(workplace, SYSTEM, "owner", "Owner", Role.OWNER, "a good password")
    with workplace.database.writing() as session:
        warehouse = Warehouse(key="millrace", name="Millrace", address={})
        session.add(warehouse)
        session.flush()
        session.add(Bin(warehouse_id=warehouse.id, code="A-01", walk=1))
        session.add(PriceList(key="retail", name="Retail", currency="EUR", tax_inside=True))
    return workplace


def add_channels(
    session: Session, keys: Sequence[str], policy: Mapping[str, Any] | None = None
) -> dict[str, int]:
    """Connects channels by their rulebooks' keys, with the first price list and warehouse, to an
    outside world that is not there; returns their ids.
    """
    made = [
        Channel(
            key=key,
            name=key,
            rulebook=key,
            currency="EUR",
            address="",
            token="",
            price_list_id=1,
            stock_policy=dict(policy or {}),
        )
        for key in keys
    ]
    session.add_all(made)
    session.flush()
    supply = [
        SupplyWarehouse(channel_id=channel.id, warehouse_id=1, position=0) for channel in made
    ]
    session.add_all(supply)
    return {channel.key: channel.id for channel in made}


def temporary() -> tempfile.TemporaryDirectory[str]:
    """Returns a folder that is removed afterwards; it lies beside the project, so that it is on the
    same disk.
    """
    (ROOT / "var").mkdir(exist_ok=True)
    return tempfile.TemporaryDirectory(dir=ROOT / "var")


def timed(call: Callable[[], object], times: int) -> list[float]:
    """Returns the seconds of each of so many calls."""
    found = []
    for _ in range(times):
        start = perf_counter()
        call()
        found.append(perf_counter() - start)
    return found


def figures(samples: Sequence[float]) -> dict[str, float]:
    """Returns the median and the 95th percentile in milliseconds."""
    ordered = sorted(samples)
    p95 = ordered[min(len(ordered) - 1, int(len(ordered) * 0.95))]
    return {"p50_ms": round(statistics.median(ordered) * 1000, 2), "p95_ms": round(p95 * 1000, 2)}


def report(name: str, values: dict[str, Any]) -> None:
    """Prints the figures of one benchmark as JSON."""
    print(json.dumps({"benchmark": name, **values}, indent=1))
