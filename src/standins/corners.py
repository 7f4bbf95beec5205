"""Defines the corners of Loomstead: which facts a piece must and may have there, and their allowed
values.
"""

from typing import NamedTuple


class Corner(NamedTuple):
    """A corner: its name as a path, the facts that it needs, and those that it also takes."""

    name: str
    needs: list[str]
    takes: list[str]


# a fact -> what may be said; nothing: any text
FACTS: dict[str, list[str]] = {
    "made of": [
        "earthenware",
        "stoneware",
        "porcelain",
        "steel",
        "brass",
        "wood",
        "cotton",
        "jute",
        "glass",
        "plastic",
        "peat-free mix",
        "paper",
        "leather",
    ],
    "finish": ["glazed", "matt", "raw", "oiled", "lacquered", "polished"],
    "width": [],
    "stands": ["indoors", "outdoors", "both"],
    "sows in": ["spring", "summer", "autumn", "winter", "all year"],
    "litres": [],
    "colour": [],
}
_Facts = tuple[list[str], list[str]]
_POT: _Facts = (["made of"], ["finish", "width", "stands", "colour"])
_TOOL: _Facts = (["made of"], ["finish", "colour"])
_SEED: _Facts = (["sows in"], [])
_SOIL: _Facts = (["litres"], ["made of"])
_PLAIN: _Facts = ([], ["made of", "colour"])

CORNERS: dict[str, Corner] = {
    key: Corner(name, *facts)
    for key, name, facts in (
        ("pots-small", "Garden / Pots / Up to 12 cm", _POT),
        ("pots-middle", "Garden / Pots / 13 to 24 cm", _POT),
        ("pots-large", "Garden / Pots / From 25 cm", _POT),
        ("pots-hanging", "Garden / Pots / Hanging", _POT),
        ("pots-window", "Garden / Pots / Window boxes", _POT),
        ("saucers", "Garden / Pots / Saucers", _POT),
        ("pot-feet", "Garden / Pots / Feet and stands", _POT),
        ("bowls", "House / Table / Bowls", _POT),
        ("vases", "House / Table / Vases", _POT),
        ("jugs", "House / Table / Jugs", _POT),
        ("tools-hand", "Garden / Tools / Hand tools", _TOOL),
        ("tools-cutting", "Garden / Tools / Cutting", _TOOL),
        ("tools-sowing", "Garden / Tools / Sowing", _TOOL),
        ("tools-measuring", "Garden / Tools / Measuring", _TOOL),
        ("gloves", "Garden / Tools / Gloves and aprons", _TOOL),
        ("baskets", "Garden / Tools / Baskets and trugs", _TOOL),
        ("cans", "Garden / Watering / Cans", _TOOL),
        ("misters", "Garden / Watering / Misters", _TOOL),
        ("drip", "Garden / Watering / Drip and wick", _PLAIN),
        ("seeds-herbs", "Garden / Seeds / Herbs", _SEED),
        ("seeds-flowers", "Garden / Seeds / Flowers", _SEED),
        ("seeds-vegetables", "Garden / Seeds / Vegetables", _SEED),
        ("seeds-sprouts", "Garden / Seeds / Sprouts and microgreens", _SEED),
        ("bulbs", "Garden / Seeds / Bulbs", _SEED),
        ("soil", "Garden / Soil / Potting mixes", _SOIL),
        ("soil-additions", "Garden / Soil / Additions", _SOIL),
        ("feed", "Garden / Soil / Feed", _SOIL),
        ("labels", "Garden / Order / Labels and markers", _PLAIN),
        ("twine", "Garden / Order / Twine and ties", _PLAIN),
        ("supports", "Garden / Order / Supports", _PLAIN),
        ("books", "House / Paper / Books and journals", _PLAIN),
        ("gift-sets", "House / Gifts / Sets", _PLAIN),
        ("gift-wrap", "House / Gifts / Wrap", _PLAIN),
    )
}
