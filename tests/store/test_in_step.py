"""Listings that follow a change of stock are those of the products and of every kit around them."""

from datetime import UTC, datetime

import pytest

from relvan.store.in_step import in_step_of_products, save_in_step, save_quantities
from relvan.store.tables import Listing

NOW = datetime(2026, 11, 30, tzinfo=UTC)


@pytest.fixture
def products(workplace, kits, hagglet):
    """Lists kits within kits and what they are made of; returns the ids by SKU."""
    with workplace.database.writing() as session:
        session.add_all(
            Listing(
                channel_id=hagglet,
                product_id=product_id,
                own={},
                gaps=[],
                refusal=[],
                wish="live",
                ref=sku,
                created_at=NOW,
                changed_at=NOW,
            )
            for sku, product_id in kits.items()
        )
    return kits


@pytest.mark.parametrize(
    ("moved", "follow"),
    [
        (["PART"], {"PART", "KIT", "KIT-OF-KITS"}),
        (["KIT"], {"KIT", "KIT-OF-KITS"}),
        (["OTHER"], {"OTHER", "OTHER-KIT", "KIT-OF-KITS"}),
        (["PART", "OTHER"], {"PART", "KIT", "KIT-OF-KITS", "OTHER", "OTHER-KIT"}),
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
    assert [one.product_id for one in many] == [one.product_id for one in found]
    assert sorted(one.product_id for one in found) == sorted(wanted)


def test_a_quantity_is_saved_alone_or_with_the_state_it_led_to(workplace, products):
    with workplace.database.writing() as session:
        first, second = in_step_of_products(session, [products["PART"]])[:2]
        held = session.get_one(Listing, first.id)
        for one in (first, second):
            one.quantity, one.state, one.outdated, one.paused = 7, "live", "quantity", True
        save_quantities(session, [first])
        save_in_step(session, [second])
        assert held.quantity == 7
    with workplace.database.reading() as session:
        rows = [session.get_one(Listing, one.id) for one in (first, second)]
        told = [(row.quantity, row.state, row.outdated, row.paused) for row in rows]
    assert told[1] == (7, "live", "quantity", True)
    assert told[0][0] == 7
    assert told[0][1:] != told[1][1:]
