"""Defines what Quillmoss sells beside its goods: kits of them, services, and the old codes that
customers still use.
"""

from relvan.core.catalogue.product import Part, ProductDraft, ProductKind
from relvan.demo.goods import LIST


def services() -> list[ProductDraft]:
    """Returns the services, which have no stock."""
    return [
        ProductDraft(
            sku=sku,
            title=title,
            kind=ProductKind.SERVICE,
            category="Services",
            description=f"{title}.",
            prices={LIST: price},
        )
        for sku, title, price in (
            ("GIFT-WRAP", "Gift wrap in seed paper", 350),
            ("GIFT-CARD", "Handwritten card", 200),
            ("DELIVERY", "Delivery", 490),
            ("REPOT", "Repotting at the shop", 900),
        )
    ]


KITS: tuple[tuple[str, str, int, tuple[tuple[str, int], ...], bool], ...] = (
    (
        "KIT-HERB",
        "Herb starter set",
        2690,
        (("PT-14-CEL", 1), ("SE-BASIL", 1), ("SE-MINT", 1), ("TL-DIBBER", 1)),
        False,
    ),
    (
        "KIT-SALAD",
        "Window salad set",
        2290,
        (("PT-14-OAT", 1), ("SE-SALAD", 2), ("CA-LABEL", 1)),
        False,
    ),
    (
        "KIT-TOM",
        "Tomato set",
        3190,
        (("PT-18-OCH", 1), ("SE-TOM", 1), ("CA-STAKE", 1), ("CA-TWINE", 1)),
        False,
    ),
    ("KIT-CHIL", "Chilli set", 2890, (("PT-14-INK", 1), ("SE-CHIL", 2), ("CA-FEED", 1)), False),
    (
        "KIT-STRAW",
        "Strawberry set",
        3690,
        (("PT-18-CEL", 1), ("SE-STRAW", 2), ("CA-FEED", 1)),
        False,
    ),
    (
        "KIT-TRIO-9",
        "Three small pots",
        2390,
        (("PT-09-CEL", 1), ("PT-09-OCH", 1), ("PT-09-INK", 1)),
        False,
    ),
    (
        "KIT-TRIO-14",
        "Three pots, 14 cm",
        4590,
        (("PT-14-CEL", 1), ("PT-14-OCH", 1), ("PT-14-INK", 1)),
        False,
    ),
    ("KIT-PAIR-18", "Pair of pots, 18 cm", 4590, (("PT-18-INK", 1), ("PT-18-OAT", 1)), False),
    (
        "KIT-POT-SA-14",
        "Pot and saucer, celadon, 14 cm",
        2190,
        (("PT-14-CEL", 1), ("SA-15-CEL", 1)),
        False,
    ),
    (
        "KIT-POT-SA-18",
        "Pot and saucer, ink, 18 cm",
        3190,
        (("PT-18-INK", 1), ("SA-19-INK", 1)),
        False,
    ),
    (
        "KIT-TOOLS",
        "Tool roll: trowel, dibber, snips",
        4990,
        (("TL-TROWEL", 1), ("TL-DIBBER", 1), ("TL-SNIPS", 1)),
        False,
    ),
    (
        "KIT-CARE",
        "Leaf care set",
        2990,
        (("CA-SOAP", 1), ("TL-BRUSH", 1), ("CA-FEED", 1)),
        False,
    ),
    ("KIT-ORCHID", "Orchid set", 4390, (("HP-16-CEL", 1), ("SO-BARK-15", 1)), True),
    (
        "KIT-BALCONY",
        "Balcony set with soil",
        8990,
        (("PL-45-OCH", 1), ("SO-POT-50", 1), ("SE-SALAD", 2)),
        True,
    ),
    (
        "KIT-SOW",
        "Sowing set",
        3490,
        (("SO-SEED-10", 1), ("SE-BASIL", 1), ("SE-PARS", 1), ("SE-CHIVE", 1)),
        True,
    ),
    (
        "KIT-GIFT",
        "Gardener's gift box",
        7490,
        (("KIT-TOOLS", 1), ("KIT-HERB", 1), ("CA-TWINE", 1)),
        False,
    ),
)


def kits() -> list[ProductDraft]:
    """Returns the kits, which are sold as one and stocked as their parts; the last contains another
    kit.
    """
    return [
        ProductDraft(
            sku=sku,
            title=title,
            kind=ProductKind.KIT,
            brand="Quillmoss",
            category="Sets",
            description=f"{title}, packed by hand in one box.",
            prices={LIST: price},
            parts=tuple(Part(part, quantity) for part, quantity in parts),
            parts_apart=apart,
        )
        for sku, title, price, parts, apart in KITS
    ]


def old_codes() -> list[tuple[str, str]]:
    """Returns (alias, SKU) of the codes in the catalogue of ten years ago."""
    skus = [
        "PT-09-CEL",
        "PT-14-CEL",
        "PT-18-CEL",
        "PT-24-CEL",
        "PT-09-INK",
        "PT-14-INK",
        "PT-18-INK",
        "TL-TROWEL",
        "TL-DIBBER",
        "TL-SNIPS",
        "SO-SEED-10",
        "SO-POT-20",
        "WA-MIST",
        "CA-FEED",
        "CA-TWINE",
        "SE-BASIL",
        "SE-MINT",
        "SE-TOM",
    ]
    return [(f"OLD-{5010 + 7 * n}", sku) for n, sku in enumerate(skus)]
