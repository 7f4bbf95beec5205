"""Holds what tests of the store share."""

import pytest
from sqlalchemy import select

from relvan.store.tables import Channel, KitPart, PriceList, Product
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
def hagglet(workplace):
    """Adds a channel that nobody answers for; returns its id."""
    with workplace.database.writing() as session:
        channel = Channel(
            key="hagglet",
            name="Hagglet",
            rulebook="hagglet",
            address="http://127.0.0.1/",
            token="",
            price_list_id=session.scalars(select(PriceList.id)).first(),
        )
        session.add(channel)
        session.flush()
        return channel.id


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
