"""Defines the rest of Quillmoss's range: families around the first goods, and further ones."""

import random
from collections.abc import Iterator
from dataclasses import dataclass, field

from relvan.core.catalogue.attributes import AttributeKind, AttributeRule
from relvan.core.catalogue.identity import gtin_check_digit
from relvan.core.catalogue.product import CasePack, ProductDraft, ProductKind, Size, Trait
from relvan.demo.goods import GLAZES, LIST, POT_SIZES, SEED, SEEDS

TRADE, CHF = "trade", "retail-chf"
MATERIALS = (
    "stoneware",
    "earthenware",
    "steel",
    "beech",
    "ash",
    "walnut",
    "glass",
    "brass",
    "cotton",
    "slate",
    "jute",
    "hazel",
    "paper",
)
ATTRIBUTES = (
    AttributeRule("material", AttributeKind.ONE_OF, choices=MATERIALS),
    AttributeRule("frost-proof", AttributeKind.YES_NO),
    AttributeRule("capacity", AttributeKind.NUMBER, "l"),
    AttributeRule("use", AttributeKind.SEVERAL_OF, choices=("indoors", "balcony", "greenhouse")),
    AttributeRule("sow until", AttributeKind.DATE),
)
# category -> attribute -> whether it is needed
ASKS = {
    "Pots": {"material": True, "use": False},
    "Pots / Saucers": {"frost-proof": False},
    "Tools": {"material": True},
    "Soil": {"capacity": False},
    "Seeds": {"sow until": False},
}


@dataclass(frozen=True)
class DemoVariant:
    """A variant to be created, or an existing one of the first goods when `made` is false; with how
    it is drawn and how many lie where.
    """

    sku: str
    traits: dict[str, str]
    draft: ProductDraft | None
    shape: str = ""
    colour: str = ""
    units: int = 0
    warehouse: str = "millrace"


@dataclass(frozen=True)
class Family:
    """A family with its traits in order, what its variants inherit, and its members."""

    sku: str
    title: str
    traits: tuple[str, ...]
    category: str
    description: str
    members: tuple[DemoVariant, ...]
    shape: str = ""
    colour: str = ""
    shared: dict[str, object] = field(default_factory=dict)

    @property
    def axes(self) -> tuple[Trait, ...]:
        """Returns the traits with the values of the members, in their order."""
        return tuple(
            Trait(name, tuple(dict.fromkeys(member.traits[name] for member in self.members)))
            for name in self.traits
        )


class Numbers:
    """Barcode numbers from the range that GS1 leaves to each firm's own use, one after the
    other."""

    def __init__(self) -> None:
        self.next = 60_000

    def take(self) -> str:
        """Returns the next number."""
        self.next += 1
        digits = f"20{self.next:010d}"
        return digits + gtin_check_digit(digits)


def families() -> list[Family]:
    """Returns every family, always the same."""
    dice, numbers = random.Random(SEED + 1), Numbers()
    return [
        *_glazed(dice, numbers),
        *_tools(dice, numbers),
        *_seeds(dice, numbers),
        *_more_seeds(dice, numbers),
        *_volumes(dice, numbers),
        *_colours(dice, numbers),
    ]


def _variant(
    sku: str, title: str, price: int, cost: int, grams: int, numbers: Numbers, **more: object
) -> ProductDraft:
    values = {"brand": "", "tax_code": "", **more}
    return ProductDraft(
        sku=sku,
        title=title,
        kind=ProductKind.VARIANT,
        gtin=numbers.take(),
        weight_g=grams,
        cost=cost,
        floor=round(cost * 1.4),
        prices={LIST: price},
        **values,  # type: ignore[arg-type]
    )


GLAZED = (
    (
        "SA",
        "Aubrey saucer",
        "Pots / Saucers",
        "saucer",
        {10: (450, 130, 170), 15: (690, 210, 290), 19: (990, 340, 420), 25: (1490, 520, 700)},
    ),
    (
        "HP",
        "Rill hanging pot",
        "Pots / Hanging",
        "hanging",
        {12: (1990, 640, 480), 16: (2690, 880, 760), 20: (3490, 1190, 1100)},
    ),
    (
        "PL",
        "Weir planter",
        "Pots / Planters",
        "planter",
        {30: (4490, 1650, 2600), 45: (6490, 2380, 4100)},
    ),
)


def _glazed(dice: random.Random, numbers: Numbers) -> Iterator[Family]:
    pots = tuple(
        DemoVariant(f"PT-{size:02d}-{code}", {"Glaze": name, "Diameter": f"{size} cm"}, None)
        for code, name, _ in GLAZES.values()
        for size in POT_SIZES
    )
    yield Family(
        "PT",
        "Aubrey pot",
        ("Glaze", "Diameter"),
        "Pots",
        "A stoneware pot, thrown by hand in our workshop, with a hole for drainage.",
        pots,
        "pot",
        "#9DBFA5",
        {"attribute use": "indoors; balcony", "origin": "IE", "hs_code": "691200", "fragile": True},
    )
    kinds = GLAZED
    for head, title, category, shape, sizes in kinds:
        members = []
        for code, name, colour in GLAZES.values():
            for size, (price, cost, grams) in sizes.items():
                if (head, code, size) in (("SA", "RUS", 25), ("HP", "OAT", 20)):
                    continue  # holes in the grid: never made yet
                draft = _variant(
                    f"{head}-{size:02d}-{code}",
                    f"{title}, {name.lower()} glaze, {size} cm",
                    price,
                    cost,
                    grams,
                    numbers,
                    size=Size(size * 10, size * 10, 40 if shape == "saucer" else size * 9),
                )
                traits = {"Glaze": name, "Diameter" if head != "PL" else "Length": f"{size} cm"}
                members.append(
                    DemoVariant(draft.sku, traits, draft, shape, colour, dice.randint(0, 28))
                )
        yield Family(
            head,
            title,
            ("Glaze", "Diameter" if head != "PL" else "Length"),
            category,
            f"{title} in stoneware, glazed by hand. Goes with the Aubrey pots.",
            tuple(members),
            shape,
            "#C9973F",
            {
                "attribute material": "stoneware",
                "origin": "IE",
                "hs_code": "691200",
                "fragile": True,
            },
        )


def _tools(dice: random.Random, numbers: Numbers) -> Iterator[Family]:
    rows = (
        ("TL-TROWEL", "Potting trowel", 2190, 880, 250),
        ("TL-DIBBER", "Dibber with depth marks", 1490, 520, 140),
        ("TL-SNIPS", "Herb snips", 2490, 990, 170),
        ("TL-RAKE", "Hand rake, five tines", 1890, 740, 220),
        ("TL-BRUSH", "Leaf brush, goat hair", 1590, 560, 90),
        ("TL-SCOOP", "Soil scoop, enamelled", 1790, 690, 280),
        ("TL-SIEVE", "Soil sieve, 3 mm", 2990, 1290, 650),
    )
    for sku, title, price, cost, grams in rows:
        walnut = _variant(f"{sku}-W", f"{title}, walnut handle", price, cost, grams, numbers)
        members = (
            DemoVariant(sku, {"Handle": "Ash"}, None),
            DemoVariant(walnut.sku, {"Handle": "Walnut"}, walnut, "", "", dice.randint(3, 18)),
        )
        yield Family(
            f"{sku}-F",
            title,
            ("Handle",),
            "Tools",
            f"{title}. Made to be used every day and mended when it wears.",
            members,
            "",
            "",
            {"attribute material": "steel", "supplier": "Brook Forge"},
        )


MORE_SEEDS = (
    ("ROCK", "Rocket", 420),
    ("SORR", "Sorrel", 420),
    ("CRES", "Cress", 390),
    ("LOVA", "Lovage", 450),
    ("TARR", "Tarragon", 490),
    ("MARJ", "Marjoram", 450),
    ("THYM", "Thyme", 450),
    ("SAGE", "Sage", 450),
    ("OREG", "Oregano", 450),
    ("FENN", "Fennel", 420),
    ("CHER", "Chervil", 420),
    ("LEMO", "Lemon balm", 450),
    ("NAST", "Nasturtium", 490),
    ("VIOL", "Horned violet", 490),
    ("MUST", "Mustard leaf", 390),
    ("SPIN", "Spinach, small leaves", 420),
    ("CHAR", "Chard, mixed stems", 450),
    ("PEPP", "Sweet pepper", 520),
    ("AUBE", "Aubergine, dwarf", 540),
    ("CUCU", "Cucumber for pots", 540),
)


def _seeds(dice: random.Random, numbers: Numbers) -> Iterator[Family]:
    for sku, title, price, cost in SEEDS:
        name = title.removesuffix(", seed tin")
        refill = _variant(
            f"{sku}-R",
            f"{name}, refill bag",
            round(price * 0.7),
            round(cost * 0.6),
            22,
            numbers,
            case_pack=CasePack(12, 300),
        )
        members = (
            DemoVariant(sku, {"Form": "Tin"}, None),
            DemoVariant(refill.sku, {"Form": "Refill bag"}, refill, "", "", dice.randint(10, 120)),
        )
        yield Family(
            f"{sku}-F",
            name,
            ("Form",),
            "Seeds",
            f"{name}, enough for two window boxes. Sow from February indoors.",
            members,
            "tin",
            "#5E7F62",
            {"supplier": "Fenland Seed Growers", "minimum_order": 12},
        )


def _more_seeds(dice: random.Random, numbers: Numbers) -> Iterator[Family]:
    for code, name, price in MORE_SEEDS:
        both = tuple(
            DemoVariant(
                f"SE-{code}{end}",
                {"Form": form},
                _variant(
                    f"SE-{code}{end}",
                    f"{name}, {words}",
                    round(price * share),
                    110,
                    55,
                    numbers,
                    case_pack=CasePack(12, 700),
                ),
                "",
                "",
                dice.randint(0, 80),
            )
            for end, form, words, share in (
                ("", "Tin", "seed tin", 1.0),
                ("-R", "Refill bag", "refill bag", 0.7),
            )
        )
        yield Family(
            f"SE-{code}-F",
            name,
            ("Form",),
            "Seeds",
            f"{name}, enough for two window boxes.",
            both,
            "tin",
            "#5E7F62",
            {"supplier": "Fenland Seed Growers", "minimum_order": 12},
        )


def _volumes(dice: random.Random, numbers: Numbers) -> Iterator[Family]:
    rows = (
        ("SO-SEED", "Seed compost", {"10 l": None, "40 l": None, "70 l": (3290, 1390, 28_000)}),
        (
            "SO-POT",
            "Potting soil without peat",
            {"20 l": None, "50 l": None, "70 l": (3190, 1350, 29_000)},
        ),
        ("SO-GRIT", "Horticultural grit", {"5 kg": None, "15 kg": (1790, 640, 15_000)}),
        ("SO-BARK", "Orchid bark", {"15 l": None, "40 l": (3490, 1490, 12_600)}),
    )
    for sku, title, sizes in rows:
        members = []
        for size, facts in sizes.items():
            code = f"{sku}-{size.split()[0]}"
            draft = _variant(code, f"{title}, {size}", *facts, numbers) if facts else None
            members.append(
                DemoVariant(
                    code, {"Bag": size}, draft, "sack", "#7C5B3F", dice.randint(4, 30), "yard"
                )
            )
        yield Family(
            f"{sku}-F",
            title,
            ("Bag",),
            "Soil",
            f"{title}. Mixed in small lots, without peat.",
            tuple(members),
            "sack",
            "#7C5B3F",
            {"this_way_up": True, "supplier": "Own mixing shed"},
        )


COLOURED = (
    (
        "WC",
        "Brook watering can",
        "Watering",
        "can",
        {"1 l": (2990, 1240, 430), "3 l": (3690, 1540, 840)},
        "steel",
    ),
    (
        "MI",
        "Plant mister, enamelled",
        "Watering",
        "mister",
        {"300 ml": (2290, 890, 300)},
        "steel",
    ),
    ("TR", "Drip tray, painted", "Watering", "sieve", {"20 cm": (1290, 430, 320)}, "steel"),
    ("TW", "Jute twine, dyed", "Care", "tin", {"60 m": (690, 190, 110)}, "jute"),
    (
        "LB",
        "Plant labels, painted",
        "Care",
        "tin",
        {"10": (990, 290, 90), "25": (1990, 560, 210)},
        "slate",
    ),
)


def _colours(dice: random.Random, numbers: Numbers) -> Iterator[Family]:
    paints = {"Moss": "#5E7F62", "Cream": "#D9CDB4", "Slate": "#5A6470", "Rust": "#A85B3C"}
    rows = COLOURED
    for head, title, category, shape, sizes, material in rows:
        two = len(sizes) > 1
        second = "Volume" if head == "WC" else "Pieces"
        members = []
        for paint, colour in paints.items():
            for size, (price, cost, grams) in sizes.items():
                code = (
                    f"{head}-{size.split()[0]}-{paint[:3].upper()}"
                    if two
                    else f"{head}-{paint[:3].upper()}"
                )
                draft = _variant(
                    code,
                    f"{title}, {paint.lower()}{f', {size}' if two else ''}",
                    price,
                    cost,
                    grams,
                    numbers,
                )
                traits = {"Colour": paint, **({second: size} if two else {})}
                members.append(DemoVariant(code, traits, draft, shape, colour, dice.randint(2, 35)))
        yield Family(
            head,
            title,
            ("Colour", second) if two else ("Colour",),
            category,
            f"{title}. For plants that live indoors.",
            tuple(members),
            shape,
            "#6F8793",
            {"attribute material": material},
        )
