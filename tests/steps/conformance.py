"""Holds steps of tests about conformance."""

from tests.house import TEXT

FIELDS = {
    "corvello": {
        "page": "new",
        "title": "A pot of clay",
        "maker": "Quillmoss",
        "text": f"<p>{TEXT}</p>",
        "aisle": "cv-101",
        "gtin": "",
        "no_gtin_because": "handmade",
        "material": "stoneware",
        "diameter": "14 cm",
        "condition": "new",
        "hours_to_leave": "24",
        "note": "",
    },
    "hagglet": {
        "heading": "A pot",
        "text": TEXT,
        "shelf": "hg-planters",
        "material": "clay",
        "condition": "new",
        "dispatch_days": "2",
        "delivery": "by post",
        "returns": "yes",
        "barcode": "",
    },
    "loomstead": {
        "title": "A pot",
        "story": f"{TEXT} And more.",
        "corner": "pots-small",
        "made_of": "stoneware",
        "keywords": "clay, handmade",
        "finish": "",
    },
    "ownshop": {"name": "A pot", "body": TEXT, "section": "Pots", "weight": "700", "barcode": ""},
}
