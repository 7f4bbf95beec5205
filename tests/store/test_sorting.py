"""Lists are sorted by any column and paged by key."""

import pytest

from relvan.store.listing_list import SORTING as LISTING_SORTING
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.order_list import OrderFilter, order_page
from relvan.store.order_paths import SORTING as ORDER_SORTING
from relvan.store.product_list import SORTING as PRODUCT_SORTING
from relvan.store.product_list import ProductFilter, product_page


def paged(page, sort, size):
    """Returns all rows of a list, page by page."""
    found, after = [], None
    while rows := page(sort, after, size):
        found += rows
        after = rows[-1]
    return found


def pages_of(session, which):
    return {
        "products": lambda sort, after, size: product_page(
            session,
            ProductFilter(),
            sort=sort,
            after=after.sku.casefold() if after else "",
            limit=size,
        ),
        "listings": lambda sort, after, size: listing_page(
            session, ListingFilter(), sort=sort, after=after.id if after else 0, limit=size
        ),
        "orders": lambda sort, after, size: order_page(
            session, OrderFilter(), sort=sort, after=after.id if after else 0, limit=size
        ),
    }[which]


SORTINGS = {"products": PRODUCT_SORTING, "listings": LISTING_SORTING, "orders": ORDER_SORTING}


@pytest.mark.parametrize("which", SORTINGS)
def test_every_sort_shows_every_row_once_however_it_is_paged(seven_pots, which):
    with seven_pots.database.reading() as session:
        page = pages_of(session, which)
        everything = {row.id for row in page("", None, 500)}
        for name in sorted(SORTINGS[which].names()):
            whole = [row.id for row in page(name, None, 500)]
            assert set(whole) == everything, name
            for sort in (name, f"-{name}"):
                for size in (1, 3):
                    assert [row.id for row in paged(page, sort, size)] == [
                        r.id for r in page(sort, None, 500)
                    ], sort
