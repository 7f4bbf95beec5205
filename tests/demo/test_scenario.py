"""The demo's goods: always the same, all of them good products, drawn large enough for every
channel."""

import io
from dataclasses import replace

import pytest
from PIL import Image

from relvan.core.catalogue.checks import check_product
from relvan.core.catalogue.families import combination_key
from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.core.refusal import Refused
from relvan.demo.drawings import SHAPES, draw
from relvan.demo.goods import goods
from relvan.demo.range import families
from relvan.demo.run import refuse_what_holds_more
from relvan.demo.samples import fair_file, good_file, messy_file
from relvan.demo.scale import add_many
from relvan.demo.sets import kits, old_codes, services
from relvan.gateways.channels.registry import rulebooks
from relvan.services.check import check
from relvan.services.imports.receive import NewFile, receive_file
from relvan.store.jobs import job_rows
from relvan.store.product_list import ProductFilter, count_products
from tests.house import add_pot, work


def test_the_goods_are_always_the_same_and_all_of_them_good():
    found = goods()
    assert found == goods()
    assert 50 <= len(found) <= 70
    assert [refusal for good in found for refusal in check_product(good.draft)] == []
    assert (
        len({good.draft.sku for good in found})
        == len({good.draft.gtin for good in found})
        == len(found)
    )


def test_the_whole_range_is_good_and_every_code_is_given_once():
    made = [
        member.draft
        for family in families()
        for member in family.members
        if member.draft is not None
    ]
    known = {good.draft.sku for good in goods()} | {draft.sku for draft in made}
    every = [*(good.draft for good in goods()), *made, *services(), *kits()]
    assert [
        r
        for draft in every
        for r in check_product(replace(draft, family="F" if draft in made else ""))
    ] == []
    codes = (
        [draft.sku for draft in every]
        + [family.sku for family in families()]
        + [a for a, _ in old_codes()]
    )
    assert len(set(codes)) == len(codes)
    assert 230 <= len(codes) <= 320
    assert {member.sku for family in families() for member in family.members} <= known
    sold = known | {kit.sku for kit in kits()}
    assert {part.sku for kit in kits() for part in kit.parts} <= sold
    assert {sku for _, sku in old_codes()} <= known


def test_no_family_has_two_of_the_same():
    for family in families():
        keys = [combination_key(family.axes, member.traits) for member in family.members]
        assert len(set(keys)) == len(keys), family.sku


def test_the_sample_files_hold_what_they_promise(workplace, owner):
    add_pot(workplace, owner, "PT-14")
    fair = fair_file(workplace.local_now().date())
    for name, kind, content, refused in (
        ("good.xlsx", FileKind.PRODUCTS, good_file(workplace), 0),
        ("messy.csv", FileKind.PRODUCTS, messy_file(), 5),
        ("fair.csv", FileKind.ORDERS, fair, 4),
    ):
        job = receive_file(workplace, owner, NewFile(KINDS[kind].key, name, content))
        work(workplace)
        with workplace.database.reading() as session:
            assert job_rows(session, job_id=job)[0].refused == refused, name


@pytest.mark.parametrize("shape", sorted(SHAPES))
def test_every_shape_is_drawn_the_same_and_large_enough_for_every_channel(shape):
    content = draw(shape, "#9DBFA5", "A thing")
    assert content == draw(shape, "#9DBFA5", "A thing")
    with Image.open(io.BytesIO(content)) as picture:
        assert min(picture.size) >= max(
            book.pictures.least_side_px for book in rulebooks().values()
        )


def test_a_large_demo_keeps_every_invariant(workplace):
    add_many(workplace.database, 300)
    with workplace.database.reading() as session:
        assert count_products(session, ProductFilter(words="bulk")).number == 300
    assert check(workplace.database) == []


def test_the_demo_is_not_put_among_what_somebody_holds(settings, houses, tmp_path):
    refuse_what_holds_more(houses.new(tmp_path / "empty"))
    with pytest.raises(Refused) as refused:
        refuse_what_holds_more(settings)
    assert refused.value.first.code == "not-empty"
