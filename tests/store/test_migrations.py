"""A database of the first version comes to the present one with all that is in it."""

import sqlite3

import pytest
from alembic import command

from relvan.services.check import check
from relvan.store.database import Database
from relvan.store.facts import facts_by_id
from relvan.store.schema import alembic_config, bring_up_to_date

NOW = "2026-11-02T09:00:00.000000Z"


@pytest.fixture
def first(tmp_path):
    """Builds a database as version 0001 left it, with a product, its listing and an order."""
    database = Database(f"sqlite:///{tmp_path / 'old.db'}")
    with database.engine.begin() as connection:
        command.upgrade(alembic_config(connection), "0001")
    raw = sqlite3.connect(database.path)
    raw.executescript(f"""
        INSERT INTO price_list VALUES (1, 'retail', 'Retail', 'EUR', 1);
        INSERT INTO product (id, sku, sku_key, kind, title, brand, description, category, attributes, tax_code,
            lacking, created_at, changed_at) VALUES (1, 'PT', 'pt', 'single', 'Pot', '', '', 'Pots', '{{"a": "b"}}',
            'standard', 3, '{NOW}', '{NOW}');
        INSERT INTO sku_name VALUES ('pt', 'PT', 0, 1), ('old', 'OLD', 1, 1);
        INSERT INTO list_price VALUES (1, 1, 1690);
        INSERT INTO product_search (rowid, sku, title, gtin, alias, brand) VALUES (1, 'PT', 'Pot', '', 'OLD', '');
        INSERT INTO channel (id, key, name, rulebook, address, token, hook_secret, price_list_id, price_steps,
            stock_policy, order_mark, paused, failures, last_error)
            VALUES (1, 'hagglet', 'Hagglet', 'hagglet', 'x', 'y', '', 1, '[]', '{{}}', 0, 0, 0, '');
        INSERT INTO listing (id, channel_id, product_id, own, wish, placed, shown, ref, page, refusal, state, behind,
            gaps, gap_count, demands, met, floored, quantity, held_content, held_pictures, sent_content,
            sent_pictures, created_at, changed_at) VALUES (7, 1, 1, '{{}}', 'none', 0, 0, '', '', '[]',
            'draft', '', '[]', 0, 0, 0, 0, 0,
            '', '', '', '', '{NOW}', '{NOW}');
        INSERT INTO bulk_job (id, kind, title, state, total, done, refused, created_at)
            VALUES (1, 'publish', 'Publish', 'ended', 1, 1, 0, '{NOW}');
        INSERT INTO bulk_job_row (job_id, position, subject, listing_id, verdict, reason)
            VALUES (1, 1, 'PT', 7, 'done', '');
    """)
    raw.close()
    return database


def test_nothing_is_lost_and_every_table_is_still_strict(first):
    bring_up_to_date(first)
    with first.reading() as session:
        facts = facts_by_id(session, [1])[1]
    assert facts == {
        "sku": "PT",
        "kind": "single",
        "title": "Pot",
        "category": "Pots",
        "tax_code": "standard",
        "attribute a": "b",
        "price retail": 1690,
        "aliases": ["OLD"],
    }
    raw = sqlite3.connect(first.path)
    loose = raw.execute(
        "SELECT name FROM sqlite_master WHERE type = 'table' AND sql NOT LIKE '%STRICT%'"
        " AND name NOT LIKE 'product_search%' AND name NOT LIKE 'order_search%' AND name <> 'alembic_version'"
    ).fetchall()
    assert loose == []
    assert raw.execute("SELECT path FROM category").fetchall() == [("Pots",)]
    assert raw.execute("SELECT listing_id FROM bulk_job_row").fetchall() == [(7,)]
    raw.close()
    assert check(first) == []


def test_one_product_may_be_listed_under_an_alias_beside_its_own_sku(first):
    bring_up_to_date(first)
    raw = sqlite3.connect(first.path)
    again = "INSERT INTO listing SELECT 8, {} FROM listing WHERE id = 7"
    names = [row[1] for row in raw.execute("PRAGMA table_info(listing)")][1:]
    with pytest.raises(sqlite3.IntegrityError):
        raw.execute(again.format(", ".join(names)))
    raw.execute(again.format(", ".join("'OLD'" if name == "alias" else name for name in names)))
    raw.close()


def test_foreign_keys_are_on_again_and_running_it_twice_changes_nothing(first):
    bring_up_to_date(first)
    bring_up_to_date(first)
    with first.reading() as session:
        assert session.connection().exec_driver_sql("PRAGMA foreign_keys").scalar() == 1
