"""Defines some sixty single products of Quillmoss, whose numbers are drawn from one seed."""

import random
from dataclasses import dataclass

from relvan.core.catalogue.identity import gtin_check_digit
from relvan.core.catalogue.product import ProductDraft, Size

SEED = 7
LIST = "retail"

GLAZES = {
    "celadon": ("CEL", "Celadon", "#9DBFA5"),
    "ochre": ("OCH", "Ochre", "#C9973F"),
    "ink": ("INK", "Ink", "#34425C"),
    "oat": ("OAT", "Oat", "#D9CDB4"),
    "rust": ("RUS", "Rust", "#A85B3C"),
}
POT_SIZES = {
    9: (890, 310, 240),
    14: (1690, 720, 520),
    18: (2490, 1180, 810),
    24: (3990, 2350, 1390),
}

# SKU, title, price, cost, grams, (length, width, height), material, how it is drawn
TOOLS = (
    ("TL-TROWEL", "Potting trowel, ash handle", 1890, 720, 240, (300, 70, 40), "steel", "trowel"),
    ("TL-DIBBER", "Dibber with depth marks", 1290, 410, 130, (220, 30, 30), "beech", "dibber"),
    ("TL-SNIPS", "Herb snips, left or right hand", 2250, 890, 160, (170, 60, 15), "steel", "snips"),
    ("TL-RAKE", "Hand rake, five tines", 1690, 610, 210, (280, 80, 40), "steel", "rake"),
    ("TL-TWEEZ", "Seedling tweezers", 990, 300, 45, (160, 20, 10), "steel", "snips"),
    ("TL-BRUSH", "Leaf brush, goat hair", 1390, 480, 80, (210, 40, 40), "beech", "dibber"),
    ("TL-SCOOP", "Soil scoop, enamelled", 1590, 560, 270, (260, 110, 60), "steel", "trowel"),
    ("TL-SIEVE", "Soil sieve, 3 mm", 2690, 1150, 640, (300, 300, 80), "beech", "sieve"),
)
SOILS = (
    ("SO-SEED-10", "Seed compost, 10 l", 890, 320, 4200, (400, 280, 120)),
    ("SO-SEED-40", "Seed compost, 40 l", 2190, 890, 16400, (700, 420, 160)),
    ("SO-POT-20", "Potting soil without peat, 20 l", 1290, 510, 8600, (520, 340, 140)),
    ("SO-POT-50", "Potting soil without peat, 50 l", 2590, 1080, 20900, (760, 460, 180)),
    ("SO-GRIT-5", "Horticultural grit, 5 kg", 790, 260, 5000, (300, 220, 80)),
    ("SO-BARK-15", "Orchid bark, 15 l", 1890, 760, 4800, (450, 320, 140)),
)
SEEDS = (
    ("SE-BASIL", "Basil 'Tall Tessa', seed tin", 450, 120),
    ("SE-CHIVE", "Chives, seed tin", 420, 110),
    ("SE-CORI", "Coriander 'Slow Sam', seed tin", 420, 110),
    ("SE-DILL", "Dill, seed tin", 420, 110),
    ("SE-MINT", "Mint 'Garden Row', seed tin", 450, 120),
    ("SE-PARS", "Parsley, flat leaf, seed tin", 420, 110),
    ("SE-TOM", "Tomato 'Window Red', seed tin", 490, 140),
    ("SE-CHIL", "Chilli 'Little Lantern', seed tin", 490, 140),
    ("SE-STRAW", "Strawberry, alpine, seed tin", 520, 160),
    ("SE-SALAD", "Salad leaves, mixed, seed tin", 420, 110),
)
WATER = (
    ("WA-CAN-1", "Watering can, 1 l, long spout", 2790, 1190, 420, (340, 150, 210), "steel", "can"),
    ("WA-CAN-3", "Watering can, 3 l", 3490, 1490, 830, (420, 190, 280), "steel", "can"),
    ("WA-MIST", "Plant mister, glass, 300 ml", 1990, 780, 310, (90, 90, 200), "glass", "mister"),
    ("WA-MISTB", "Plant mister, brass, 200 ml", 2990, 1320, 360, (80, 80, 190), "brass", "mister"),
    ("WA-TRAY", "Drip tray, enamelled, 30 cm", 1490, 520, 480, (300, 300, 25), "steel", "sieve"),
    ("WA-WICK", "Watering wicks, set of 4", 790, 190, 60, (150, 100, 20), "cotton", "tin"),
)
CARE = (
    ("CA-FEED", "Plant feed, seaweed, 500 ml", 1190, 380, 560, (70, 70, 200), "glass", "mister"),
    ("CA-SOAP", "Leaf soap, 250 ml", 990, 290, 290, (60, 60, 160), "glass", "mister"),
    ("CA-LABEL", "Slate plant labels, set of 10", 1150, 340, 180, (120, 40, 40), "slate", "tin"),
    ("CA-TWINE", "Jute twine, 60 m", 590, 160, 110, (70, 70, 80), "jute", "tin"),
    ("CA-STAKE", "Plant stakes, hazel, set of 6", 890, 270, 190, (420, 40, 40), "hazel", "dibber"),
    ("CA-HOOK", "Wall hook for pots", 1390, 450, 220, (140, 60, 30), "steel", "snips"),
)


@dataclass(frozen=True)
class Good:
    """A product, how its picture is drawn, and where and how many of it lie."""

    draft: ProductDraft
    shape: str
    colour: str
    warehouse: str
    units: int


def goods() -> list[Good]:
    """Returns all single products of Quillmoss, always the same."""
    dice = random.Random(SEED)
    found = [*_pots(dice), *_tools(dice), *_soils(dice), *_seeds(dice), *_others(dice)]
    return [_with_gtin(good, number) for number, good in enumerate(found)]


def _pots(dice: random.Random) -> list[Good]:
    found = []
    for glaze, (code, name, colour) in GLAZES.items():
        for size, (price, grams, cost) in POT_SIZES.items():
            draft = ProductDraft(
                sku=f"PT-{size:02d}-{code}",
                title=f"Aubrey pot, {name.lower()} glaze, {size} cm",
                brand="Quillmoss",
                description=(
                    f"A stoneware pot with a {glaze} glaze, thrown by hand in our workshop. Inner diameter {size} cm."
                    " With a hole for drainage; a matching saucer is sold apart."
                ),
                category="Pots",
                attributes={"material": "stoneware", "colour": name, "diameter": f"{size} cm"},
                weight_g=grams,
                size=Size(size * 11, size * 11, size * 10),
                cost=cost,
                floor=round(cost * 1.5),
                prices={LIST: price},
            )
            units = 0 if (glaze, size) == ("rust", 24) else dice.randint(3, 40)
            found.append(Good(draft, "pot", colour, "millrace", units))
    return found


def _tools(dice: random.Random) -> list[Good]:
    found = []
    for sku, title, price, cost, grams, sides, material, shape in TOOLS:
        draft = ProductDraft(
            sku=sku,
            title=title,
            brand="Quillmoss",
            category="Tools",
            description=f"{title}. Made to be used every day and mended when it wears.",
            attributes={"material": material} if sku != "TL-RAKE" else {},
            weight_g=grams,
            size=Size(*sides),
            cost=cost,
            floor=round(cost * 1.4),
            prices={LIST: price},
        )
        found.append(Good(draft, shape, "#8A7B5C", "millrace", dice.randint(5, 30)))
    return found


def _soils(dice: random.Random) -> list[Good]:
    found = []
    for sku, title, price, cost, grams, sides in SOILS:
        draft = ProductDraft(
            sku=sku,
            title=title,
            brand="Quillmoss",
            category="Soil",
            description=f"{title}. Mixed in small lots, without peat."
            if sku != "SO-BARK-15"
            else "",
            weight_g=grams,
            size=Size(*sides),
            cost=cost,
            floor=round(cost * 1.3),
            prices={LIST: price},
        )
        found.append(Good(draft, "sack", "#7C5B3F", "yard", dice.randint(10, 60)))
    return found


def _seeds(dice: random.Random) -> list[Good]:
    found = []
    for sku, title, price, cost in SEEDS:
        draft = ProductDraft(
            sku=sku,
            title=title,
            brand="Quillmoss",
            category="Seeds",
            description=f"{title}, enough for two window boxes. Sow from February indoors.",
            weight_g=55,
            size=Size(75, 75, 30),
            cost=cost,
            floor=round(cost * 1.5),
            prices={LIST: price},
        )
        found.append(Good(draft, "tin", "#5E7F62", "millrace", dice.randint(20, 90)))
    return found


def _others(dice: random.Random) -> list[Good]:
    found = []
    for category, rows in (("Watering", WATER), ("Care", CARE)):
        for sku, title, price, cost, grams, sides, material, shape in rows:
            draft = ProductDraft(
                sku=sku,
                title=title,
                brand="Quillmoss",
                category=category,
                description=f"{title}. For plants that live indoors.",
                attributes={"material": material},
                weight_g=grams if sku != "CA-HOOK" else None,
                size=Size(*sides),
                cost=cost,
                floor=round(cost * 1.5),
                prices={LIST: price},
                aliases=("OLD-4471",) if sku == "WA-CAN-1" else (),
            )
            found.append(Good(draft, shape, "#6F8793", "millrace", dice.randint(4, 35)))
    return found


def _with_gtin(good: Good, number: int) -> Good:
    """Gives goods numbers from the range that GS1 leaves to each firm's own use (prefix 20 to 29)."""
    digits = f"20{48500 + number:010d}"
    values = {name: getattr(good.draft, name) for name in ProductDraft.__dataclass_fields__}
    values["gtin"] = digits + gtin_check_digit(digits)
    return Good(ProductDraft(**values), good.shape, good.colour, good.warehouse, good.units)
