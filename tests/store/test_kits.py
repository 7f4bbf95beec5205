"""Tests what is around a product and what is in a kit, through kits within kits."""

import pytest

from relvan.store.kits import kits_above, parts_below
from tests.store.conftest import INSIDE


@pytest.mark.parametrize(
    ("part", "around"),
    [
        ("PART", {"KIT", "KIT-OF-KITS"}),
        ("OTHER", {"KIT-OF-KITS", "OTHER-KIT"}),
        ("KIT", {"KIT-OF-KITS"}),
        ("KIT-OF-KITS", set()),
    ],
)
def test_every_kit_around_a_product_is_found(workplace, kits, part, around):
    with workplace.database.reading() as session:
        assert kits_above(session, [kits[part]]) == {kits[sku] for sku in around}
        many = kits_above(session, [kits[part], *range(10_000, 10_400)])
    assert many == {kits[sku] for sku in around}


def test_around_several_each_kit_is_found_once_and_around_nothing_none(workplace, kits):
    with workplace.database.reading() as session:
        assert kits_above(session, kits.values()) == {kits[sku] for sku in INSIDE}
        assert kits_above(session, []) == set()


@pytest.mark.parametrize(
    ("kit", "inside"),
    [
        ("KIT", ["KIT"]),
        ("OTHER-KIT", ["OTHER-KIT"]),
        ("KIT-OF-KITS", ["KIT-OF-KITS", "KIT"]),
        ("PART", []),
    ],
)
def test_parts_are_told_of_a_kit_and_of_every_kit_within_it(workplace, kits, kit, inside):
    with workplace.database.reading() as session:
        found = parts_below(session, [kits[kit]])
    assert found == {
        kits[name]: [(kits[part], units) for part, units in INSIDE[name]] for name in inside
    }


def test_kits_are_read_by_one_query_each_way_however_deep(workplace, kits, count_queries):
    with (
        count_queries(workplace.database) as seen,
        workplace.database.reading() as session,
    ):
        kits_above(session, [kits["PART"]])
        parts_below(session, [kits["KIT-OF-KITS"]])
        parts_below(session, [])
    assert len(seen) == 2
