"""Holds what tests share: a workplace on a real SQLite file, the outside world on a port of its
own."""

import os
import shutil
from collections import Counter
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from argon2 import PasswordHasher
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis_settings
from xdist.scheduler import LoadScopeScheduling

from relvan.core.orders.intake import Address, IncomingLine
from relvan.core.people.roles import Role
from relvan.services.listings.draft import draft_listings
from relvan.services.open import open_workplace
from relvan.services.orders.take import take_manual_order
from relvan.services.people.sign_in import add_person
from relvan.services.people.tokens import make_token
from relvan.services.uncollected import collect_seldom
from relvan.services.workplace import SYSTEM, Actor
from relvan.settings import Settings
from relvan.store.database import Database
from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Bin, PriceList, Warehouse
from tests.applications import Worlds, client_of
from tests.house import add_pot, connect, receive
from tests.listening import Tool
from tests.outside import World
from tests.quick import share_compiled_statements
from tests.server import Postgres, Served, postgres_started, redis_started
from tests.snapshots import Snapshots, built_once
from tests.steps.families_on_channels import make_family

hypothesis_settings.register_profile(
    "relvan",
    deadline=None,
    max_examples=60,
    suppress_health_check=[HealthCheck.too_slow],
    database=None,
)
hypothesis_settings.load_profile("relvan")
share_compiled_statements()
ADDRESS = {
    "name": "Quillmoss",
    "street": "3 Millrace Yard",
    "town": "Tarnhollow",
    "postcode": "T12",
    "country": "IE",
}


# few tests, each of which takes long: they begin early, so that no worker has them left at the end
SLOW = (
    "test_killed_worker.py",
    "test_first_day.py",
    "test_labels.py",
    "test_mail.py",
    "test_foresee.py",
    "test_plain.py",
    "test_against_model.py",
    "test_outbox.py",
    "test_many_workers.py",
    "test_move_in.py",
    "test_worker.py",
    "test_app.py",
)
# files whose tests share nothing, and some of which take long
ONE_BY_ONE = ("test_against_document.py", "test_running.py", "test_on_servers.py", "test_cli.py")
MEMORY_DISK = Path("/dev/shm")
ROOM_NEEDED = 2_000_000_000


def pytest_configure(config):
    """Puts the databases of tests into memory where there is room: every transaction waits for the
    disk otherwise."""
    if os.access(MEMORY_DISK, os.W_OK) and shutil.disk_usage(MEMORY_DISK).free > ROOM_NEEDED:
        os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", str(MEMORY_DISK))


class OneDemo(LoadScopeScheduling):
    """The tests of a file on one worker, so that what they share is built once; all browser tests on one,
    since they share a demo, but those that begin with an empty folder; and those of long files that share
    nothing one by one. They begin in the order of `pytest_collection_modifyitems`."""

    def _split_scope(self, nodeid):
        path = nodeid.partition("::")[0]
        if path.startswith("tests/browser/") and not path.endswith("test_first_day.py"):
            return "browser"
        return nodeid if path.endswith(ONE_BY_ONE) else path


def pytest_xdist_make_scheduler(config, log):
    config.option.loadscopereorder = False
    return OneDemo(config, log)


def pytest_collection_modifyitems(items):
    """Begins the longest tests first, so that at the end no worker waits for one of them alone; and
    gives all that use the running demo to one worker, so that it is prepared once."""
    for item in items:
        if "demo" in getattr(item, "fixturenames", ()):
            item.add_marker(pytest.mark.xdist_group("demo"))
    in_file = Counter(item.path for item in items)
    items.sort(key=lambda item: (_longest_first(item), -in_file[item.path], item.path))


def _longest_first(item):
    if item.path.name == "test_on_servers.py":
        return 0
    if item.get_closest_marker("xdist_group"):
        return 1
    if item.path.name in ONE_BY_ONE:
        return 2
    return 3 if item.path.name in SLOW else 4


def pytest_collection_finish():
    collect_seldom()  # never among what was loaded before the first test


@pytest.fixture(scope="session", autouse=True)
def _quick_passwords():
    """Makes hashing a password quick: a good hash takes its time on purpose, and tests make
    hundreds."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(
            "relvan.services.people.sign_in.passwords", PasswordHasher(time_cost=1, memory_cost=64)
        )
        yield


class Clock:
    """A clock that stands still until it is moved."""

    def __init__(self):
        self.now = datetime(2026, 11, 2, 9, 0, tzinfo=UTC)

    def __call__(self):
        return self.now

    def move(self, **how):
        self.now += timedelta(**how)


def pytest_addoption(parser):
    parser.addoption(
        "--on-servers",
        action="store_true",
        help="on PostgreSQL and Redis, started for it; so too where RELVAN_DATABASE_URL and RELVAN_QUEUE_URL name some",
    )


@pytest.fixture(scope="session")
def postgres(request):
    """Starts a database server for all tests of a process, or none where the database is in the
    box."""
    if given := os.environ.get("RELVAN_DATABASE_URL"):
        yield Postgres(given)
    elif request.config.getoption("--on-servers"):
        with postgres_started() as server:
            yield server
    else:
        yield None


@pytest.fixture(scope="session")
def queue_url(request):
    """Returns the address of a queue server, or "" where the queue is in the box."""
    if given := os.environ.get("RELVAN_QUEUE_URL"):
        yield given
    elif request.config.getoption("--on-servers"):
        with redis_started() as url:
            yield url
    else:
        yield ""


class Houses:
    """Data folders with their databases and queues, wherever these lie: new ones, and copies of
    those that are closed."""

    def __init__(self, postgres, queue_url):
        self.postgres, self.queue_url = postgres, queue_url

    def new(self, folder, like=""):
        url = self.postgres.url(self.postgres.make(like)) if self.postgres else ""
        places = {"data_dir": folder, "database_url": url, "queue_url": self.queue_url}
        return Settings(**places, private_addresses=True, _env_file=None)

    def copy(self, settings, folder):
        shutil.copytree(settings.data_dir, folder)
        return self.new(folder, like=settings.database_url.rpartition("/")[2])

    def drop(self, settings):
        shutil.rmtree(settings.data_dir)
        if self.postgres:
            self.postgres.drop(settings.database_url.rpartition("/")[2])


@pytest.fixture(scope="session")
def houses(postgres, queue_url):
    return Houses(postgres, queue_url)


@pytest.fixture
def in_the_box(postgres):
    """Marks tests that look into the database in the box itself."""
    if postgres:
        pytest.skip("it looks into SQLite itself")


@pytest.fixture(scope="session")
def furnished(tmp_path_factory, houses):
    """Builds a house with people, two warehouses with bins and a price list, made once and copied
    for each test."""
    settings = houses.new(tmp_path_factory.mktemp("furnished"))
    workplace = open_workplace(settings)
    bring_up_to_date(workplace.database)
    for login, role in (
        ("owner", Role.OWNER),
        ("picker", Role.WAREHOUSE),
        ("lister", Role.CATALOGUE),
    ):
        add_person(workplace, SYSTEM, login, login.title(), role, "a good password")
    with workplace.database.writing() as session:
        for key, name, codes in (
            ("millrace", "Millrace", ("A-01", "A-02", "B-01")),
            ("yard", "Yard", ("Y-01", "Y-02")),
        ):
            warehouse = Warehouse(key=key, name=name, address=ADDRESS)
            session.add(warehouse)
            session.flush()
            for walk, code in enumerate(codes, 1):
                session.add(Bin(warehouse_id=warehouse.id, code=code, walk=walk))
        session.add(PriceList(key="retail", name="Retail", currency="EUR", tax_inside=True))
    workplace.close()
    return settings


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def settings(tmp_path, furnished, houses):
    found = houses.copy(furnished, tmp_path / "data")
    yield found
    houses.drop(found)


@pytest.fixture(scope="session")
def unfurnished(tmp_path_factory, houses):
    """Makes an empty database, once, to be copied for each test."""
    settings = houses.new(tmp_path_factory.mktemp("unfurnished"))
    workplace = open_workplace(settings)
    bring_up_to_date(workplace.database)
    workplace.close()
    return settings


@pytest.fixture
def bare(tmp_path, houses, unfurnished, clock):
    """Returns a workplace with an empty database, as on the first day."""
    settings = houses.copy(unfurnished, tmp_path / "bare")
    place = open_workplace(settings, clock=clock)
    yield place
    place.close()
    houses.drop(settings)


@pytest.fixture
def workplace(settings, clock):
    """Returns a furnished workplace whose clock stands still; what would wake the worker is
    remembered in `woken`."""
    woken = []
    place = open_workplace(
        settings, clock=clock, wake=lambda what, which: woken.append((what, which))
    )
    place.woken = woken
    assert place.firm, "it is read once, so that no test counts that query"
    yield place
    place.close()


@pytest.fixture
def owner():
    return Actor(1, "Owner", Role.OWNER, "hand")


@pytest.fixture
def picker():
    return Actor(2, "Picker", Role.WAREHOUSE, "hand")


@pytest.fixture(scope="session")
def worlds():
    with Served(Worlds) as served:
        visitor = World(served.url)
        yield served.app, visitor
        visitor.client.close()


@pytest.fixture
def world(tmp_path, worlds):
    """Builds the outside world, fresh and calm."""
    app, visitor = worlds
    app.begin(tmp_path / "world.db")
    yield visitor
    app.end()


@pytest.fixture(scope="session")
def snapshots(tmp_path_factory):
    return Snapshots(tmp_path_factory.mktemp("snapshots"))


@pytest.fixture
def count_queries():
    """Counts the statements that a database runs inside a block."""
    from contextlib import contextmanager

    from sqlalchemy import event

    @contextmanager
    def counting(database: Database):
        seen = []

        def note(_connection, _cursor, statement, *_):
            seen.append(statement)

        event.listen(database.engine, "before_cursor_execute", note)
        try:
            yield seen
        finally:
            event.remove(database.engine, "before_cursor_execute", note)

    return counting


@pytest.fixture
def api(workplace):
    make_token(workplace, "test", "owner", "t" * 20)
    client = client_of(workplace)
    client.headers["Authorization"] = "Bearer " + "t" * 20
    return client


@pytest.fixture
def tool():
    found = Tool()
    with Served(lambda _url: found.app) as served:
        found.address = f"{served.url}/hear"
        yield found


TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")


@built_once
def desk(workplace, owner):
    """Builds a shop without channels, whose orders are taken by hand."""
    add_pot(workplace, owner, "PT-14", units=5)
    add_pot(workplace, owner, "PT-18", units=2, warehouse="yard")
    return workplace


@built_once
def seven_pots(workplace, owner, world):
    """Builds seven pots and a family, some of them alike in what they are sorted by; drafts, and
    orders of them."""
    connect(workplace, owner, world, "hagglet", "ownshop")
    for number in range(7):
        add_pot(
            workplace,
            owner,
            f"PT-{number}",
            title=f"Pot {number % 3}",
            cost=(500, None, 700)[number % 3],
            units=number,
            weight_g=None if number == 4 else 700 + number % 2,
        )
        line = IncomingLine("", f"PT-{number}", "Pot", number % 3 + 1, 1000)
        take_manual_order(workplace, owner, (line,), TO, paid=number % 2 == 0)
    receive(workplace, owner, "PT-3", 20, "yard")
    make_family(workplace, owner, units=2)
    for channel in ("hagglet", "ownshop"):
        draft_listings(workplace, owner, channel, [f"PT-{number}" for number in range(7)])
    return workplace
