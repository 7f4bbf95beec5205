"""The demo's goods: always the same, all of them good products, drawn large enough for every channel."""

import io

import pytest
from PIL import Image

from relvan.core.catalogue.product import check_product
from relvan.demo.drawings import SHAPES, draw
from relvan.demo.goods import goods
from relvan.demo.scale import add_many
from relvan.gateways.channels.registry import rulebooks
from relvan.services.check import check
from relvan.store.product_list import ProductFilter, count_products


def test_the_goods_are_always_the_same_and_all_of_them_good():
    found = goods()
    assert found == goods()
    assert 50 <= len(found) <= 70
    assert [refusal for good in found for refusal in check_product(good.draft)] == []
    assert len({good.draft.sku for good in found}) == len({good.draft.gtin for good in found}) == len(found)


@pytest.mark.parametrize("shape", sorted(SHAPES))
def test_every_shape_is_drawn_the_same_and_large_enough_for_every_channel(shape):
    content = draw(shape, "#9DBFA5", "A thing")
    assert content == draw(shape, "#9DBFA5", "A thing")
    with Image.open(io.BytesIO(content)) as picture:
        assert min(picture.size) >= max(book.pictures.least_side_px for book in rulebooks().values())


def test_a_large_demo_keeps_every_invariant(workplace):
    add_many(workplace.database, 300)
    with workplace.database.reading() as session:
        assert count_products(session, ProductFilter(words="bulk")).number == 300
    assert check(workplace.database) == []
