"""Listings that follow a change of stock are those of the products and of every kit around them."""

from datetime import UTC, datetime

import pytest
from sqlalchemy import select

from relvan.store.facts import kits_above
from relvan.store.in_step import in_step_of_products
from relvan.store.tables import Channel, KitPart, Listing, PriceList, Product
from tests.house import add_pot

NOW = datetime(2026, 11, 30, tzinfo=UTC)
SKUS = ("PART", "KIT", "KIT-OF-KITS", "OTHER", "OTHER-KIT")
INSIDE = {"KIT": ["PART"], "KIT-OF-KITS": ["KIT", "OTHER"], "OTHER-KIT": ["OTHER"]}


@pytest.fixture
def products(workplace, owner):
    """Lists a part, a kit with it, a kit with that kit, and others; returns the ids by SKU."""
    for sku in SKUS:
        add_pot(workplace, owner, sku)
    with workplace.database.writing() as session:
        ids = dict(session.execute(select(Product.sku, Product.id)).all())
        prices = session.scalars(select(PriceList.id)).first()
        channel = Channel(
            key="hagglet",
            name="Hagglet",
            rulebook="hagglet",
            address="http://127.0.0.1/",
            token="",
            price_list_id=prices,
        )
        session.add(channel)
        session.flush()
        session.add_all(
            KitPart(kit_id=ids[kit], part_id=ids[part], quantity=1, position=1)
            for kit, parts in INSIDE.items()
            for part in parts
        )
        session.add_all(
            Listing(
                channel_id=channel.id,
                product_id=ids[sku],
                own={},
                gaps=[],
                refusal=[],
                wish="live",
                ref=sku,
                created_at=NOW,
                changed_at=NOW,
            )
            for sku in SKUS
        )
    return ids


@pytest.mark.parametrize(
    ("moved", "follow"),
    [
        (["PART"], {"PART", "KIT", "KIT-OF-KITS"}),
        (["KIT"], {"KIT", "KIT-OF-KITS"}),
        (["OTHER"], {"OTHER", "OTHER-KIT", "KIT-OF-KITS"}),
        (["PART", "OTHER"], set(SKUS)),
        (["KIT-OF-KITS"], {"KIT-OF-KITS"}),
        ([], set()),
    ],
)
def test_listings_of_kits_around_a_product_follow_it(workplace, products, moved, follow):
    ids = [products[sku] for sku in moved]
    wanted = {products[sku] for sku in follow}
    with workplace.database.reading() as session:
        found = in_step_of_products(session, ids)
        many = in_step_of_products(session, [*ids, *range(10_000, 10_400)])  # a long list
        assert {*ids, *kits_above(session, ids)} == wanted
    assert [one.product_id for one in many] == [one.product_id for one in found]
    assert sorted(one.product_id for one in found) == sorted(wanted)
