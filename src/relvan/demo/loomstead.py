"""Lists Quillmoss on Loomstead: pots, saucers and hanging pots, priced in francs."""

from relvan.core.catalogue.keyed import Keyed
from relvan.core.listings.translating import Translation, TranslationKind
from relvan.demo.range import CHF
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings
from relvan.services.listings.translations import set_translations
from relvan.services.workplace import Actor, Workplace
from relvan.store.product_list import ProductFilter, product_page

CORNERS = {"PT": "pots-middle", "SA": "saucers", "HP": "pots-hanging"}
FRANCS_OF_EURO = 1.05
KEYWORDS = "houseplant, handmade, ceramic, glazed, indoor garden"


def list_on_loomstead(workplace: Workplace, owner: Actor) -> None:
    """Gives the families prices in francs, drafts their pages, chooses corners and keywords, and
    publishes them.
    """
    with workplace.database.reading() as session:
        rows = [
            row
            for sku in CORNERS
            for row in product_page(session, ProductFilter(family=sku), limit=200)
        ]
    prices: dict[str, dict[str, object]] = {
        row.sku: {Keyed.PRICE.fact(CHF): round(row.price * FRANCS_OF_EURO / 5) * 5}
        for row in rows
        if row.price
    }
    verdicts = change_facts(workplace, owner, list(prices.items()))
    assert all(verdict.ok for verdict in verdicts), verdicts
    set_translations(
        workplace,
        owner,
        "loomstead",
        [
            Translation(TranslationKind.TRAIT, "", "Glaze", "colour"),
            Translation(TranslationKind.TRAIT, "", "Diameter", "width"),
        ],
    )
    for sku, corner in CORNERS.items():
        ids = draft_listings(workplace, owner, "loomstead", [sku]).listing_ids
        change_listings(
            workplace,
            owner,
            ids[:1],
            {"corner": corner, "keywords": KEYWORDS, "made_of": "stoneware"},
        )
        publish_listings(workplace, owner, ids[:1], leave_out=True)
