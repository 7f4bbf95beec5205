"""Holds steps of tests about every channel."""

from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.prices.set import set_list_price
from relvan.store.listings import listing_by_id
from tests.house import add_pot

OWN = {
    "corvello": {
        "page": "new",
        "no_gtin_because": "handmade",
        "aisle": "cv-101",
        "diameter": "14 cm",
    },
    "hagglet": {"shelf": "hg-planters"},
    "loomstead": {"corner": "pots-middle", "keywords": "clay, pot"},
    "ownshop": {},
}


def ready(workplace, owner, key, sku="PT-14", title="A pot of clay, glazed"):
    """Makes a draft without gaps on a channel; returns its id."""
    add_pot(
        workplace, owner, sku, attributes={"material": "Stoneware"}, brand="Quillmoss", title=title
    )
    set_list_price(workplace, owner, sku, "chf", 1800)
    return draft(workplace, owner, key, sku)


def draft(workplace, owner, key, *skus):
    (listing_id, *_) = ids = draft_listings(workplace, owner, key, skus).listing_ids
    if OWN[key]:
        change_listings(workplace, owner, ids, OWN[key])
    assert [gap["message"] for gap in listing(workplace, listing_id).gaps] == []
    return listing_id


def listing(workplace, listing_id):
    with workplace.database.reading() as session:
        return listing_by_id(session, listing_id)
