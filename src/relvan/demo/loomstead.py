"""Quillmoss on Loomstead: pots, saucers and hanging pots, priced in francs."""

from collections import defaultdict

from relvan.demo.range import CHF
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store.listings import ListingFilter, listing_page
from relvan.store.product_list import ProductFilter, product_page

FAMILIES = ("PT", "SA", "HP")
FRANCS_OF_EURO = 1.05
KEYWORDS = "houseplant, handmade, ceramic, glazed, indoor garden"


def list_on_loomstead(workplace: Workplace, owner: Actor) -> None:
    """Give the families prices in francs, draft them, choose corners and keywords, and place what has no gap."""
    with workplace.database.reading() as session:
        rows = [row for sku in FAMILIES for row in product_page(session, ProductFilter(family=sku), limit=200)]
    prices: dict[str, dict[str, object]] = {
        row.sku: {f"price {CHF}": round(row.price * FRANCS_OF_EURO / 5) * 5} for row in rows if row.price
    }
    verdicts = change_facts(workplace, owner, list(prices.items()))
    assert all(verdict.ok for verdict in verdicts), verdicts
    draft_listings(workplace, owner, "loomstead", FAMILIES)
    with workplace.database.reading() as session:
        drafts = listing_page(session, ListingFilter(channel="loomstead"), limit=500)
    corners: dict[str, list[int]] = defaultdict(list)
    for draft in drafts:
        corners[_corner(draft.sku)].append(draft.id)
    for corner, ids in corners.items():
        change_listings(workplace, owner, ids, {"corner": corner, "keywords": KEYWORDS})
    publish_listings(workplace, owner, [draft.id for draft in drafts])


def _corner(sku: str) -> str:
    """Where a variant stands there: `PT-14-CEL` is a pot of 14 cm."""
    family, size, _ = sku.split("-")
    if family == "SA":
        return "saucers"
    if family == "HP":
        return "pots-hanging"
    return "pots-small" if int(size) <= 12 else "pots-middle" if int(size) <= 24 else "pots-large"
