"""A database of the version that landed before comes to the present one with its data intact, and goes
on working.
"""

import gzip
import sqlite3
from pathlib import Path

import pytest

from relvan.running import prepare
from relvan.services.check import check
from relvan.services.open import open_workplace
from relvan.services.people.sign_in import actor_for
from relvan.settings import Settings
from relvan.store.database import Database
from relvan.store.people import person_by_login
from relvan.store.schema import SchemaAge, schema_age
from tests.applications import client_of
from tests.house import add_pot
from tests.visitor import sign_in

KEPT = Path(__file__).parent / "kept" / "relvan-0026.db.gz"
TOKEN = "kept-token-of-the-version-before"


def counted(file):
    """Returns how many rows each table of a database has."""
    with sqlite3.connect(file) as raw:
        names = [
            name
            for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
            if not name.startswith(("sqlite_", "product_search", "order_search", "alembic"))
        ]
        return {name: raw.execute(f"SELECT count(*) FROM {name}").fetchone()[0] for name in names}


@pytest.fixture
def kept(tmp_path):
    """Lays the kept database into a data folder; returns its settings."""
    (tmp_path / "relvan.db").write_bytes(gzip.decompress(KEPT.read_bytes()))
    return Settings(data_dir=tmp_path, _env_file=None)


@pytest.mark.usefixtures("in_the_box")
def test_it_is_brought_up_to_date_with_its_data_intact(kept, tmp_path):
    before = counted(tmp_path / "relvan.db")
    assert before["movement"] == 3, "it has stock"
    assert before["order_line"] >= 3, "it has orders"
    said = []
    assert prepare(kept, said.append).exists()
    assert "is a backup from before" in said[0]
    database = Database(kept.database)
    assert schema_age(database) == SchemaAge.PRESENT
    assert check(database) == []
    after = counted(tmp_path / "relvan.db")
    assert {name: after[name] for name in before} == before


@pytest.mark.usefixtures("in_the_box")
def test_people_and_tools_go_on_with_it(kept):
    prepare(kept, lambda _: None)
    workplace = open_workplace(kept)
    client = sign_in(client_of(workplace))
    for path in ("/", "/catalogue", "/listings", "/stock", "/orders", "/dispatch", "/setup/people"):
        assert client.get(path).status_code == 200, path
    assert "Quillmoss" in client.get("/setup/firm").text
    client.headers["Authorization"] = f"Bearer {TOKEN}"
    orders = client.get("/api/v1/orders").json()["items"]
    assert len(orders) == 3
    families = client.get("/api/v1/products", params={"kind": "family"}).json()["items"]
    assert [family["sku"] for family in families] == ["F"]
    shown = client.get("/api/v1/stock/SET/availability", params={"channel": "hagglet"}).json()
    assert shown["free"] >= 1  # the kit is made of what is free of its parts
    assert client.get("/api/v1/products/PT-14").json()["cost"]["amount"] == 900
    with workplace.database.reading() as session:
        owner = person_by_login(session, "owner")
    add_pot(workplace, actor_for(owner, "hand"), "NEW-1", units=2)
    assert check(workplace.database) == []
    workplace.close()
