"""Holds what tests of the store share."""

import pytest
from sqlalchemy import select

from relvan.store.tables import KitPart, Product
from tests.house import add_pot

# kit -> (part, units of it), in order
INSIDE = {
    "KIT": [("PART", 2)],
    "KIT-OF-KITS": [("OTHER", 3), ("KIT", 1)],
    "OTHER-KIT": [("OTHER", 1)],
}


@pytest.fixture
def session(workplace):
    with workplace.database.writing() as session:
        yield session


@pytest.fixture
def kits(workplace, owner):
    """Makes a kit, a kit with that kit, and another one; returns the ids of all products by SKU."""
    for sku in ("PART", "OTHER", *INSIDE):
        add_pot(workplace, owner, sku)
    with workplace.database.writing() as session:
        ids = dict(session.execute(select(Product.sku, Product.id)).all())
        session.add_all(
            KitPart(kit_id=ids[kit], part_id=ids[part], quantity=units, position=position)
            for kit, parts in INSIDE.items()
            for position, (part, units) in enumerate(parts, 1)
        )
    return ids
