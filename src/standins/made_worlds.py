"""Makes up worlds for trying out how a seller moves in: the same goods on several channels, each
channel in words of its own, with the truth about which listings are the same goods.

What differs between channels is what differs in life: SKUs, titles, the order and the spelling of
traits, missing GTINs, prices by a rule of the channel, goods that only some of them list. All of it
is made from one seed.
"""

import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

_LINES = """
    Aubrey Bramble Calder Dunmore Elswick Fenway Garrick Holm Inver Jarrow Kelso Lorne Marlow Nevis
    Orford Penrith Quarley Rosedale Selby Tarn Ullin Varley Wharram Yarrow Ashdown Birling Corrie
    Denby Eskdale Farley Glenlow Hadley
"""
LINES = tuple(_LINES.split())
MAKERS = ("Thornby", "Millgrove", "Oak & Ash", "Pellwood", "Saltmarsh", "Harrowgate Works")
# what it is called, what others call it, the traits in which it may come
NOUNS: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("pot", "planter", ("width", "glaze")),
    ("trowel", "hand spade", ("width",)),
    ("watering can", "can for watering", ("volume", "colour")),
    ("apron", "work apron", ("size", "colour")),
    ("basket", "trug", ("width",)),
    ("gloves", "garden gloves", ("size",)),
    ("potting mix", "soil mix", ("volume",)),
    ("twine", "garden string", ("length", "colour")),
    ("vase", "flower vase", ("height", "glaze")),
    ("plant label", "marker", ("pack",)),
    ("mister", "spray bottle", ("volume", "glaze")),
    ("saucer", "dish", ("width", "glaze")),
    ("secateurs", "pruning shears", ()),
    ("journal", "garden diary", ()),
    ("sieve", "riddle", ("width",)),
    ("candle", "scented candle", ("scent",)),
    ("seed tin", "tin for seeds", ()),
    ("cloche", "glass bell", ("height",)),
)
ADJECTIVES = (
    ("handmade", "made by hand"),
    ("stoneware", "stone ware"),
    ("recycled", "from recycled stuff"),
    ("long-lasting", "sturdy"),
    ("classic", "traditional"),
    ("light", "lightweight"),
    ("deep", "extra deep"),
    ("ribbed", "with ribs"),
    ("round", "rounded"),
    ("narrow", "slim"),
)
VALUES: dict[str, tuple[str, ...]] = {
    "width": ("9 cm", "11 cm", "14 cm", "18 cm", "22 cm", "28 cm"),
    "height": ("12 cm", "16 cm", "20 cm", "26 cm", "32 cm"),
    "volume": ("0.5 l", "1 l", "2 l", "5 l", "10 l", "20 l"),
    "length": ("10 m", "25 m", "50 m", "100 m"),
    "pack": ("10 pieces", "25 pieces", "50 pieces"),
    "size": ("S", "M", "L", "XL"),
    "glaze": ("celadon", "ochre", "slate", "chalk", "moss", "ink"),
    "colour": ("green", "natural", "rust", "navy", "sand"),
    "scent": ("fig", "cedar", "mint", "rain"),
}
NAMES = {  # how a trait is named on each channel, where not by its own name
    "hagglet": {"glaze": "Colour", "width": "Size", "volume": "Content"},
    "loomstead": {"glaze": "finish", "volume": "size", "height": "size", "length": "size"},
    "ownshop": {"glaze": "Glaze", "width": "Diameter"},
    "corvello": {},
}
FLUFF = ("for indoor plants", "a good gift", "new", "for house and garden", "ready to send")
TELLING = (
    "A {adjective} {noun} from the {line} line, made in small runs by {maker}.",
    "It lasts for years when it is kept dry over winter.",
    "Every piece is looked over by hand before it is packed.",
    "Comes in paper without any plastic.",
    "The {line} {noun} has been in our range since the first year.",
)


@dataclass(frozen=True)
class Goods:
    """One thing that is sold, as it is in truth. The price is in cents."""

    number: int
    line: str
    noun: tuple[str, str]
    adjective: tuple[str, str]
    maker: str
    values: dict[str, str]
    gtin: str
    price: int
    weight_g: int
    family: int | None = None


@dataclass
class MadeWorld:
    """Listings by channel, ready for the world API, and the truth: which goods each SKU of each
    channel is. Pages of families are in `families` instead.
    """

    listings: dict[str, list[dict[str, Any]]] = field(default_factory=dict)
    truth: dict[tuple[str, str], int] = field(default_factory=dict)
    families: dict[tuple[str, str], int] = field(default_factory=dict)

    def true_links(self) -> int:
        """Returns the number of pairs of listings, on two channels, that are the same goods."""
        by_goods: dict[int, int] = {}
        for number in self.truth.values():
            by_goods[number] = by_goods.get(number, 0) + 1
        return sum(count * (count - 1) // 2 for count in by_goods.values())


@dataclass(frozen=True)
class Habits:
    """How much the channels of a made world differ; shares are from 0 to 1."""

    listings: int = 2_000
    channels: Sequence[str] = ("hagglet", "loomstead", "corvello")
    other_sku: float = 0.3
    no_gtin: float = 0.1
    listed: float = 0.85
    synonyms: float = 0.5


def gtin_of(number: int) -> str:
    """Returns a GTIN-13 with a right check digit, from the range that GS1 keeps for use within a
    firm.
    """
    digits = f"20{number:010d}"
    total = sum(int(digit) * (3 if at % 2 else 1) for at, digit in enumerate(digits))
    return digits + str(-total % 10)


def make_goods(dice: random.Random, wanted: int) -> list[Goods]:
    """Makes up goods: singles, and families of two to twelve."""
    found: list[Goods] = []
    taken: set[tuple[str, str, str]] = set()
    families = 0
    while len(found) < wanted:
        noun, other, traits = dice.choice(NOUNS)
        line, adjective = dice.choice(LINES), dice.choice(ADJECTIVES)
        if (line, noun, adjective[0]) in taken:
            continue
        taken.add((line, noun, adjective[0]))
        maker, price = dice.choice(MAKERS), dice.randrange(490, 6_900, 10)
        weight = dice.randrange(40, 4_000)
        grids: list[dict[str, str]] = [{}]
        for trait in traits:
            values = VALUES[trait]
            some = dice.sample(values, k=dice.randint(2, min(4, len(values))))
            some.sort(key=values.index)
            grids = [{**grid, trait: value} for grid in grids for value in some]
        grids = grids[:12] if dice.random() < 0.75 or not traits else grids[:1]
        families += len(grids) > 1
        for at, grid in enumerate(grids):
            found.append(
                Goods(
                    len(found),
                    line,
                    (noun, other),
                    adjective,
                    maker,
                    grid,
                    gtin_of(len(found) + 1),
                    price + at * 150,
                    weight + at * 35,
                    families if len(grids) > 1 else None,
                )
            )
    return found[:wanted]


def _spelled(dice: random.Random, value: str) -> str:
    """Returns a value as another person would type it."""
    amount, _, unit = value.partition(" ")
    if not unit:
        return dice.choice((value, value.upper(), value.capitalize()))
    if unit == "cm" and dice.random() < 0.15:
        return f"{int(amount) * 10} mm"
    return dice.choice((value, f"{amount}{unit}", f"{amount} {unit}", value))


def _title(dice: random.Random, goods: Goods, channel: str, habits: Habits, own: str) -> str:
    noun, adjective = (
        pair[1] if dice.random() < habits.synonyms else pair[0]
        for pair in (goods.noun, goods.adjective)
    )
    values = list(filter(None, own.split("|"))) if own else []
    if channel == "hagglet":
        return ", ".join([f"{goods.line} {noun}", adjective, *values])
    if channel == "loomstead":
        return f"{adjective.capitalize()} {noun} {goods.line}" + "".join(f" - {v}" for v in values)
    if channel == "ownshop":
        return " ".join([goods.line, adjective, noun, *values])
    fluff = dice.choice(FLUFF) if dice.random() < 0.4 else ""
    told = [goods.maker, noun, goods.line, *values, adjective, fluff]
    return " ".join(filter(None, told))


def _text(dice: random.Random, goods: Goods) -> str:
    lines = dice.sample(TELLING, k=dice.randint(2, len(TELLING)))
    told = {"adjective": goods.adjective[0], "noun": goods.noun[0]}
    return " ".join(lines).format(**told, line=goods.line, maker=goods.maker)


def price_on(channel: str, cents: int) -> int:
    """Returns the price that a made world's seller asks on a channel for a list price: on Hagglet
    8 % more, ending in 99; on Corvello 12 % more; on Loomstead francs that end in 50.
    """
    if channel == "hagglet":
        return round(cents * 1.08 / 100) * 100 - 1
    if channel == "corvello":
        return round(cents * 1.12)
    if channel == "loomstead":
        return round(cents * 0.97 / 100) * 100 + 50
    return cents


def _said(
    dice: random.Random, goods: Goods, channel: str, habits: Habits, now: datetime
) -> dict[str, Any]:
    code = f"{goods.maker[:2].upper()}-{goods.number:04d}"
    if dice.random() < habits.other_sku:
        code = f"{channel[:2]}{dice.randrange(10**5):05d}-{goods.number}"
    changed = now - timedelta(days=dice.randrange(1, 700))
    said: dict[str, Any] = {
        "sku": code,
        "price": price_on(channel, goods.price),
        "quantity": dice.randrange(0, 40),
        "text": _text(dice, goods),
        "changed_at": changed.isoformat(),
        "placed_at": (changed - timedelta(days=dice.randrange(0, 300))).isoformat(),
    }
    if dice.random() >= habits.no_gtin:
        said["gtin"] = goods.gtin
    if channel in ("hagglet", "loomstead") and dice.random() < 0.6:
        said["weight_g"] = goods.weight_g
    return said


def make_world(seed: int, habits: Habits = Habits()) -> MadeWorld:
    """Makes up a world of about so many listings over all channels."""
    dice = random.Random(seed)
    now = datetime(2026, 11, 1, tzinfo=UTC)
    wanted = round(habits.listings / habits.listed / len(habits.channels))
    goods = make_goods(dice, wanted)
    made = MadeWorld({channel: [] for channel in habits.channels})
    for channel in habits.channels:
        groups: dict[object, list[Goods]] = {}
        for one in goods:
            if dice.random() < habits.listed:
                key = ("f", one.family) if one.family else ("s", one.number)
                groups.setdefault(key, []).append(one)
        for group in groups.values():
            made.listings[channel] += _group_on(dice, made, channel, group, habits, now)
        dice.shuffle(made.listings[channel])
    return made


def _group_on(
    dice: random.Random,
    made: MadeWorld,
    channel: str,
    group: list[Goods],
    habits: Habits,
    now: datetime,
) -> list[dict[str, Any]]:
    traits = list(group[0].values)
    if dice.random() < 0.5:
        traits.reverse()
    flat = channel == "corvello" or len(group) == 1 or len(traits) > 2
    listings = []
    for one in group:
        spelled = {name: _spelled(dice, one.values[name]) for name in traits}
        said = _said(dice, one, channel, habits, now)
        made.truth[channel, said["sku"]] = one.number
        if flat:
            said["title"] = _title(dice, one, channel, habits, "|".join(spelled.values()))
            said["brand"] = one.maker
        else:
            names = NAMES.get(channel, {})
            said["traits"] = {names.get(name, name): value for name, value in spelled.items()}
        listings.append(said)
    if flat:
        return listings
    first = group[0]
    sku = f"{channel[:1].upper()}F-{first.family:04d}"
    made.families[channel, sku] = first.family or 0
    head: dict[str, Any] = {
        "sku": sku,
        "title": _title(dice, first, channel, habits, ""),
        "brand": first.maker,
    }
    head |= {"text": _text(dice, first), "traits": list(listings[0]["traits"])}
    return [{**head, "variants": listings}]
