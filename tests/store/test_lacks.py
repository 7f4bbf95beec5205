"""Tests the few ways in which many listings lack something: they are found as a reading of every
listing finds them."""

from collections import Counter

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select, update

from relvan.core.listings.gaps import gap_mark
from relvan.store.lacks import all_ways, has_gap, ways_among
from relvan.store.listing_list import ListingFilter, conditions_of
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.tables import Channel, Listing, Product
from tests.house import connect
from tests.snapshots import built_once
from tests.steps.bare_rows import NOW, add

KINDS = ("no stock", "missing", "no page")
WAYS = st.lists(st.sampled_from(KINDS), unique=True, max_size=2)


@built_once
def shop(workplace, owner, world):
    """Builds two channels, on each a listing of every one of six products."""
    connect(workplace, owner, world)
    with workplace.database.writing() as session:
        ids = add(session, *(f"PT-{number}" for number in range(6)))
        for channel_id in session.scalars(select(Channel.id)):
            for product_id in ids.values():
                session.add(
                    Listing(
                        channel_id=channel_id, product_id=product_id, created_at=NOW, changed_at=NOW
                    )
                )
    return workplace


def gaps_of(kinds):
    return [
        {"field": "f", "kind": kind, "mend": "product", "message": "m", "ours": "", "nearest": ""}
        for kind in kinds
    ]


def lack(session, ways, archived):
    """Give each listing its gaps, and put some products into the archive."""
    for row, kinds in zip(session.scalars(select(Listing).order_by(Listing.id)), ways, strict=True):
        row.gaps, row.gap_count = gaps_of(kinds), len(kinds)
        row.gap_mark = gap_mark(row.gaps) if kinds else ""
    session.execute(update(Product).values(archived_at=None))
    session.execute(update(Product).where(Product.sku.in_(archived)).values(archived_at=NOW))
    session.flush()


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=30)
@given(
    ways=st.lists(WAYS, min_size=12, max_size=12),
    archived=st.sets(st.sampled_from([f"PT-{number}" for number in range(6)])),
    kind=st.sampled_from(("", *KINDS)),
)
def test_ways_and_conditions_find_what_a_plain_reading_finds(shop, ways, archived, kind):
    with shop.database.writing() as session:
        lack(session, ways, archived)
        rows = session.scalars(select(Listing)).all()
        away = set(session.scalars(select(Product.id).where(Product.archived_at.is_not(None))))
        for key, channel_id in session.execute(select(Channel.key, Channel.id)).all():
            here = [row for row in rows if row.channel_id == channel_id]
            asked = {row.id for row in here if row.gaps and kind in ("", *kinds_of(row))}
            condition = has_gap(session, key, kind=kind)
            assert set(session.scalars(select(Listing.id).where(condition))) == asked
            kept = [row for row in here if row.product_id not in away and row.gaps]
            expected = Counter(tuple(kinds_of(row)) for row in kept)
            assert counted(all_ways(session, key)) == expected
            conditions = conditions_of(session, ListingFilter(channel=key))
            assert counted(ways_among(session, conditions)) == expected
        session.rollback()


def kinds_of(row):
    return [gap["kind"] for gap in row.gaps]


def counted(ways):
    return {tuple(gap["kind"] for gap in way.gaps): way.count for way in ways}


@pytest.mark.parametrize("most_read", [0, 100])
def test_products_that_lack_something_are_the_same_read_first_or_looked_up(
    shop, monkeypatch, most_read
):
    monkeypatch.setattr("relvan.store.among.MOST_READ", most_read)
    with shop.database.writing() as session:
        lack(session, [["no stock"], ["missing"], [], ["no stock"], [], []] * 2, {"PT-3"})
        for wanted, found in (
            (ProductFilter(gap_on="hagglet", gap_kind="no stock"), ["PT-0"]),
            (ProductFilter(gap_on="ownshop", gap_kind="missing"), ["PT-1"]),
            (ProductFilter(gap_on="hagglet", gap_kind="no page"), []),
            (ProductFilter(gap_on="hagglet", gap_kind="no stock", not_on="hagglet"), []),
            (ProductFilter(gap_on="hagglet", gap_kind="no stock", archived=True), []),
        ):
            assert [row.sku for row in product_page(session, wanted)] == found, wanted
        session.rollback()
