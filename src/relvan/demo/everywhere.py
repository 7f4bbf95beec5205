"""Lists Quillmoss on all four channels, with layers, families' pages, the shared catalogue, and
listings from before Relvan.
"""

import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx

from relvan.core.listings.likeness import SURE
from relvan.core.listings.translating import Translation, TranslationKind
from relvan.demo.range import families
from relvan.demo.studio import Studio
from relvan.services.bulk.work import work_next
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.findings import read_findings
from relvan.services.listings.layers import LayerWish, keep_set, make_layer, use_layers
from relvan.services.listings.pages import choose_pages, look_for_pages
from relvan.services.listings.publish import publish_listings
from relvan.services.listings.translations import set_translations
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import channel_by_key
from relvan.store.layers import layer_lines
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.pages import page_rows
from relvan.store.product_list import ProductFilter, product_page

SHELF_OF = {
    "Pots / Saucers": "hg-saucers",
    "Pots / Hanging": "hg-hanging",
    "Pots / Planters": "hg-window-boxes",
    "Seeds": "hg-herbs",
    "Soil": "hg-soil",
    "Watering": "hg-cans",
    "Care": "hg-labels",
}
ON_HAGGLET = (
    "SA",
    "PL",
    "WC",
    "LB",
    "SE-ROCK-F",
    "SE-SORR-F",
    "SE-THYM-F",
    "SE-SAGE-F",
    "SE-OREG-F",
    "SE-FENN-F",
    "SE-LOVA-F",
    "SE-MARJ-F",
    "SE-TARR-F",
    "SE-CRES-F",
    "SE-NAST-F",
    "SE-VIOL-F",
    "MI",
    "TR",
)
REFUSED_FAMILY = "HP"
ON_CORVELLO = (
    "PT",
    "TL-TROWEL",
    "TL-SNIPS",
    "TL-SIEVE",
    "WA-CAN-1",
    "WA-CAN-3",
    "WA-MIST",
    "CA-FEED",
    "CA-SOAP",
    "SO-POT-20",
    "SO-SEED-10",
    "WA-TRAY",
    "TL-SCOOP",
    "CA-LABEL",
    "WA-WICK",
    "TL-RAKE",
)
LEFT_OPEN = 9  # of the drafts there: they wait for a page
STILL_BEHIND = 6  # of those that got a new layer
# what somebody put up by hand before: (code, title, cents)
BY_HAND = (
    ("", "Wall hook to hang pots on", 1390),
    ("OLD-77", "Jute twine, a ball of 60 m", 590),
    ("", "Potting soil free of peat, 50 l", 2590),
    ("KB-12", "Dill in a seed tin", 420),
    ("", "Salad leaves, mixed, in a tin", 420),
    ("X-1", "Compost for seeds, 40 l", 2190),
    ("", "Bird feeder of larch", 2150),
    ("", "Set of herbs to start with", 2990),
    ("GIFT-9", "Terrarium jar, cork lid", 2690),
    ("", "Dwarf aubergine in a seed tin", 420),
    ("KB-3", "Chervil in a seed tin", 420),
    ("", "Chervil, bag to refill", 290),
    ("KB-8", "Chard, mixed stems, in a tin", 420),
    ("", "Cucumber for pots, tin of seed", 420),
    ("", "Lemon balm in a seed tin", 420),
    ("KB-21", "Lemon balm, refill", 290),
    ("", "Mustard leaf in a seed tin", 420),
    ("", "Flat leaf parsley, seed tin", 420),
    ("KB-30", "Sweet pepper in a seed tin", 450),
    ("", "Spinach, small leaves, in a tin", 420),
    ("", "Alpine strawberry, seed tin", 450),
    ("KB-33", "Tomato 'Window Red' in a tin", 420),
    ("SET-1", "Balcony set, soil included", 5490),
    ("", "Set for leaf care", 2890),
    ("", "Chilli set in a box", 2490),
    ("SET-4", "Gift box for a gardener", 4990),
    ("", "Set for an orchid", 3290),
    ("", "Two pots, 18 cm, as a pair", 4290),
    ("SET-7", "Salad set for the window", 2690),
    ("", "Set for sowing", 3190),
    ("", "Strawberry set with a pot", 3490),
    ("SET-9", "Tomato set, in a box", 3390),
    ("", "Three pots of 14 cm", 4790),
)


def list_everywhere(
    workplace: Workplace,
    owner: Actor,
    world: httpx.Client,
    settle: Callable[[], None],
    studio: Studio,
) -> None:
    """Creates layers and families on Hagglet, a catalogue and offers on Corvello, and unlinked
    listings on both.
    """
    _layers(workplace, owner)
    with ThreadPoolExecutor(1) as meanwhile:  # the channels take only so many calls a second
        deliveries = [meanwhile.submit(settle)]
        _families_on_hagglet(workplace, owner)
        deliveries.append(meanwhile.submit(settle))
        _corvello(workplace, owner, world, studio)
    for delivery in deliveries:
        delivery.result()
    settle()
    _by_hand(workplace, owner, world, studio)


def _layers(workplace: Workplace, owner: Actor) -> None:
    tracked = {
        "dispatch_days": "2",
        "delivery": "Tracked, packed in straw paper. Two to four working days.",
    }
    parcels = make_layer(
        workplace, owner, LayerWish("hagglet", "delivery", "Tracked parcels", tracked)
    )
    heavy = {
        "dispatch_days": "4",
        "delivery": "By two people to the kerb. Four to eight working days.",
    }
    pallets = make_layer(workplace, owner, LayerWish("hagglet", "delivery", "Heavy goods", heavy))
    kind = {"returns": "Within 60 days, unused; we send the label."}
    returns = make_layer(workplace, owner, LayerWish("hagglet", "returns", "Sixty days", kind))
    keep_set(workplace, owner, "hagglet", "Small goods", {"delivery": parcels, "returns": returns})
    keep_set(workplace, owner, "hagglet", "Bags of soil", {"delivery": pallets, "returns": returns})
    dearer: dict[str, Any] = {"price_steps": [{"kind": "percent", "percent": "12"}]}
    make_layer(workplace, owner, LayerWish("hagglet", "price", "Fragile, twelve more", dearer))
    with workplace.database.reading() as session:
        rows = listing_page(session, ListingFilter(channel="hagglet"), limit=500)
    soil = [row.id for row in rows if row.sku.startswith("SO-")]
    use_layers(
        workplace, owner, [row.id for row in rows if row.id not in soil], {"delivery": parcels}
    )
    use_layers(workplace, owner, soil, {"delivery": pallets})
    publish_listings(
        workplace, owner, [row.id for row in rows if row.state == "live"][STILL_BEHIND:]
    )


def _families_on_hagglet(workplace: Workplace, owner: Actor) -> None:
    wanted = {family.sku: family for family in families()}
    for sku in (*ON_HAGGLET, REFUSED_FAMILY):
        family = wanted[sku]
        ids = draft_listings(workplace, owner, "hagglet", [sku]).listing_ids
        material = str(family.shared.get("attribute material", ""))
        own = {"shelf": SHELF_OF.get(family.category, "hg-other")}
        own |= (
            {"sowing": "either"}
            if family.category == "Seeds"
            else {"material": material}
            if material
            else {}
        )
        if sku == REFUSED_FAMILY:
            own["heading"] = f"{family.title}, no counterfeit"
        change_listings(workplace, owner, ids[:1], own)
        publish_listings(workplace, owner, ids[:1], leave_out=True)
    with workplace.database.reading() as session:
        rows = listing_page(session, ListingFilter(channel="hagglet"), limit=500)
        layer = next(iter(_layer_ids(session, "Tracked parcels")))
    heads = [row.id for row in rows if row.is_head]
    use_layers(workplace, owner, heads, {"delivery": layer})


def _layer_ids(session: Any, name: str) -> list[int]:
    return [line.id for line in layer_lines(session) if line.name == name]


def _corvello(workplace: Workplace, owner: Actor, world: httpx.Client, studio: Studio) -> None:
    there = world.get("/world").json()["standins"]["corvello"]
    connect_channel(
        workplace, owner, ConnectChannel("corvello", there["seller_api"], there["token"])
    )
    wording = {
        "title": "{{ product.title }}{% if product.brand %} by {{ product.brand }}{% endif %}"
    }
    make_layer(
        workplace,
        owner,
        LayerWish("corvello", "wording", "Title and maker", wording, standing_for=""),
    )
    _fill_catalogue(workplace, world, studio)
    skus = [row.sku for row in _variants(workplace, "PT")] + list(ON_CORVELLO[1:])
    draft_listings(workplace, owner, "corvello", skus)
    _translate(workplace, owner)
    with workplace.database.reading() as session:
        channel = channel_by_key(session, "corvello").id
    while look_for_pages(workplace, channel):
        pass
    with workplace.database.reading() as session:
        rows = page_rows(session, channel="corvello", limit=200)
    sure = {
        row.listing_id: row.candidates[0]["page"]
        for row in rows
        if row.candidates and row.candidates[0]["percent"] >= SURE and row.candidates[0]["sure"]
    }
    chosen = dict(list(sure.items())[LEFT_OPEN:])
    chosen[next(iter(sure))] = "CP-000000"  # there is no such page: its hand-in comes back refused
    choose_pages(workplace, owner, chosen)
    publish_listings(workplace, owner, list(chosen))


def _variants(workplace: Workplace, family: str) -> list[Any]:
    with workplace.database.reading() as session:
        return product_page(session, ProductFilter(family=family), limit=200)


def _translate(workplace: Workplace, owner: Actor) -> None:
    ours = {"Celadon": "green", "Ochre": "yellow", "Ink": "blue", "Oat": "white", "Rust": "red"}
    entries = [
        Translation(TranslationKind.VALUE, "colour", name, theirs) for name, theirs in ours.items()
    ]
    entries += [
        Translation(TranslationKind.VALUE, "material", "beech", "wood"),
        Translation(TranslationKind.VALUE, "material", "steel", "metal"),
        Translation(TranslationKind.VALUE, "aisle", "Pots", "cv-101"),
    ]
    set_translations(workplace, owner, "corvello", entries)


def _fill_catalogue(workplace: Workplace, world: httpx.Client, studio: Studio) -> None:
    """Adds pages that other sellers made of the same goods in their own words, some twice and some
    without a barcode.
    """
    pages: list[dict[str, Any]] = []
    for number, row in enumerate([*_variants(workplace, "PT"), *_singles(workplace)]):
        words = row.title.split(", ")
        title = ", ".join([words[0], *reversed(words[1:])]) if len(words) > 2 else row.title
        size = re.search(r"\d+ cm", row.title)
        page = {
            "title": f"{title} ({row.brand})" if number % 3 else title,
            "maker": row.brand or "Quillmoss",
            "gtin": row.gtin if number % 9 else "",
            "aisle": "cv-101",
            "text": "Sold by several stalls.",
            "particulars": {"diameter": size.group()} if size else {},
            "pictures": [_add_photo(world, studio.elsewhere(row.sku))],
        }
        pages.append(page)
        if number % 11 == 5:
            pages.append({**page, "title": f"{title}, boxed"})
    world.post("/world/corvello/pages", json={"pages": pages}).raise_for_status()
    rivals = [
        {"price": 1590, "shipping": 390, "rating": 4.4, "ratings": 210, "sent_by": "seller"},
        {"price": 1749, "shipping": 0, "rating": 4.9, "ratings": 1900, "sent_by": "corvello"},
    ]
    for row in _variants(workplace, "PT")[:8]:
        world.post(
            "/world/corvello/rivals", json={"gtin": row.gtin, "offers": rivals}
        ).raise_for_status()


def _singles(workplace: Workplace) -> list[Any]:
    with workplace.database.reading() as session:
        rows = [product_page(session, ProductFilter(words=sku), limit=1) for sku in ON_CORVELLO[1:]]
    return [row[0] for row in rows if row]


def _add_photo(world: httpx.Client, picture: bytes) -> str:
    """Adds a picture to the outside world, under its hash."""
    token = world.get("/world").json()["standins"]["hagglet"]["token"]
    head = {"Authorization": f"Token {token}"}
    answer = world.post("/hagglet/seller/photos", content=picture, headers=head)
    answer.raise_for_status()
    return str(answer.json()["photo"])


def _by_hand(workplace: Workplace, owner: Actor, world: httpx.Client, studio: Studio) -> None:
    """Adds notices from before Relvan and reads them in; some fit a product at once, others need a
    person.
    """
    token = world.get("/world").json()["standins"]["hagglet"]["token"]
    photo = _add_photo(world, studio.elsewhere("by hand"))
    for number, (code, title, price) in enumerate(BY_HAND):
        body = {
            "own_code": code,
            "heading": title,
            "text": f"{title}. From our garden shed to yours.",
            "shelf": "hg-other",
            "condition": "new",
            "asking": price,
            "units": 3,
            "details": {},
            "photos": [photo],
        }
        head = {"Authorization": f"Token {token}", "Request-Id": f"before-{number}"}
        world.post("/hagglet/seller/notices", json=body, headers=head).raise_for_status()
    read_findings(workplace, owner, "hagglet")
    while work_next(workplace):
        pass
