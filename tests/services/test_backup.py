"""Tests backing up while everything runs and restoring, into the box and into a database server."""

import pytest
from sqlalchemy import select, text

from relvan.core.catalogue.product import ProductKind, Trait
from relvan.core.refusal import Refused
from relvan.services.backup import back_up, restore
from relvan.services.catalogue.save import change_facts, create_product
from relvan.services.check import check
from relvan.services.open import open_workplace
from relvan.store.carry import carry_over
from relvan.store.database import Database
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.schema import bring_up_to_date
from relvan.store.tables import Table
from tests.house import add_pot, connect, count, list_everywhere, pot, read


def skus(database):
    with database.reading() as session:
        return [row.sku for row in product_page(session, ProductFilter(), limit=100)]


def all_rows(database):
    """Returns everything that is held, by table, but for the mark that every change sets anew."""
    with database.reading() as session:
        return {
            table.name: sorted(repr(tuple(row)) for row in session.execute(select(table)))
            for table in Table.metadata.sorted_tables
            if table.name != "settings_mark"
        }


@pytest.fixture
def busy(workplace, owner, world):
    """Builds a shop in which much has happened: a family whose head came after a variant, sales,
    prices, changes."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", aliases=("OLD-14",))
    list_everywhere(workplace, owner, "PT-14")
    create_product(
        workplace, owner, pot("FAM", kind=ProductKind.FAMILY, axes=(Trait("Glaze", ("Ink",)),))
    )
    variant = {"kind": "variant", "family": "FAM", "trait Glaze": "Ink"}
    assert change_facts(workplace, owner, [("PT-14", variant)])[0].ok
    world.buy("hagglet", "PT-14", 2)
    read(workplace)
    count(workplace, owner, "PT-14", 3)
    return workplace


def test_a_backup_brings_back_database_files_and_key(workplace, owner, houses, tmp_path):
    add_pot(workplace, owner, "PT-14")
    target = tmp_path / "out" / "backup.tar.gz"
    assert back_up(workplace.settings, target) > 1000
    add_pot(workplace, owner, "PT-18")
    restore(workplace.settings, target)
    assert skus(workplace.database) == [
        "PT-14"
    ]  # the running application goes on with what was restored
    other = houses.new(tmp_path / "elsewhere")
    restore(other, target)
    database = Database(other.database)
    assert check(database) == []
    assert (skus(database), len((other.data_dir / "secret.key").read_text()) > 20) == (
        ["PT-14"],
        True,
    )
    assert list((other.files / "pictures").rglob("*.png"))
    database.close()


def test_restored_nothing_is_other_than_it_was_and_work_goes_on(busy, owner, houses, tmp_path):
    before = all_rows(busy.database)
    back_up(busy.settings, tmp_path / "b.tar.gz")
    other = houses.new(tmp_path / "elsewhere")
    restore(other, tmp_path / "b.tar.gz")
    place = open_workplace(other, clock=busy.now)
    assert all_rows(place.database) == before
    add_pot(place, owner, "PT-18")  # under ids that nobody has
    with place.database.reading() as session:
        assert [
            row.sku for row in product_page(session, ProductFilter(words="old 14"), limit=9)
        ] == ["PT-14"]
    assert skus(place.database) == ["FAM", "PT-14", "PT-18"]
    assert check(place.database) == []
    place.close()


def test_all_is_carried_from_one_kind_of_database_to_the_box(busy, owner, tmp_path):
    box = Database(f"sqlite:///{tmp_path / 'box.db'}")
    bring_up_to_date(box)
    with busy.database.reading() as before, box.writing() as after:
        carried = carry_over(before, after)
    assert carried > 50
    assert all_rows(box) == all_rows(busy.database)
    assert check(box) == []
    add_pot(busy, owner, "PT-18")
    with (
        box.reading() as before,
        busy.database.writing() as after,
    ):  # and back, in place of what is there
        assert carry_over(before, after) == carried
    assert all_rows(box) == all_rows(busy.database)
    add_pot(busy, owner, "PT-20")
    assert skus(busy.database) == ["FAM", "PT-14", "PT-20"]
    box.close()


@pytest.mark.parametrize("content", [b"no archive", b""])
def test_what_is_no_backup_is_refused_and_nothing_is_touched(workplace, owner, tmp_path, content):
    add_pot(workplace, owner, "PT-14")
    (tmp_path / "bad.tar.gz").write_bytes(content)
    for name in ("bad.tar.gz", "missing.tar.gz"):
        with pytest.raises(Refused):
            restore(workplace.settings, tmp_path / name)
    assert skus(workplace.database) == ["PT-14"]


def test_a_backup_is_consistent_while_somebody_writes(workplace, owner, houses, tmp_path):
    create_product(workplace, owner, pot("A"))
    with workplace.database.writing() as session:
        session.execute(text("UPDATE product SET title = 'half'"))
        back_up(workplace.settings, tmp_path / "b.tar.gz")
    other = houses.new(tmp_path / "elsewhere")
    restore(other, tmp_path / "b.tar.gz")
    database = Database(other.database)
    with database.reading() as session:
        assert session.scalars(text("SELECT title FROM product")).all() == ["Pot A"]
    database.close()
