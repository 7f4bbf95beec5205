"""Holds steps of tests about Loomstead."""

from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.listings import listing_by_id
from tests.house import deliver


def place(workplace, owner, *keys, **fields):
    own = {"corner": "pots-middle", "keywords": "clay, pot", **fields}
    for key in keys or ("loomstead", "ownshop"):
        ids = draft_listings(workplace, owner, key, ["PT-14"]).listing_ids
        if key == "loomstead":
            change_listings(workplace, owner, ids, own)
        publish_listings(workplace, owner, ids)
    deliver(workplace)
    return listing(workplace)


def listing(workplace):
    with workplace.database.reading() as session:
        (row,) = listing_page(session, ListingFilter(channel="loomstead"))
        return listing_by_id(session, row.id)
