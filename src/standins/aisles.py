"""Defines the aisles of Corvello's catalogue: which particulars a page there must have, which it
may have, and their allowed values.
"""

from typing import NamedTuple


class Aisle(NamedTuple):
    """An aisle: its name as a path, the particulars that it needs, and those that it also takes."""

    name: str
    needs: tuple[str, ...]
    takes: tuple[str, ...]


# a particular -> what may be said; nothing: any text
PARTICULARS: dict[str, tuple[str, ...]] = {
    "material": (
        "ceramic",
        "stoneware",
        "terracotta",
        "metal",
        "wood",
        "textile",
        "glass",
        "plastic",
        "plant fibre",
    ),
    "colour": ("green", "yellow", "blue", "white", "brown", "red", "black", "grey", "mixed"),
    "diameter": (),
    "volume": (),
    "drainage": ("hole", "no hole"),
    "sowing": ("spring", "summer", "autumn", "winter", "any time"),
    "powered": ("no", "mains", "battery"),
    "pieces": (),
}
_VESSEL = (("material", "diameter"), ("colour", "drainage"))
_TOOL = (("material",), ("colour", "powered"))
_SEED = (("sowing",), ("pieces",))
_SOIL = (("volume",), ())
_OTHER = ((), ("material", "colour", "pieces"))

AISLES: dict[str, Aisle] = {
    key: Aisle(name, *kind)
    for key, name, kind in (
        ("cv-101", "Growing / Vessels / Pots", _VESSEL),
        ("cv-102", "Growing / Vessels / Saucers", _VESSEL),
        ("cv-103", "Growing / Vessels / Hanging vessels", _VESSEL),
        ("cv-104", "Growing / Vessels / Troughs", _VESSEL),
        ("cv-105", "Growing / Vessels / Cachepots", _VESSEL),
        ("cv-106", "Growing / Vessels / Bowls", _VESSEL),
        ("cv-107", "Growing / Vessels / Closed glass", _VESSEL),
        ("cv-108", "Growing / Vessels / Stands", _OTHER),
        ("cv-201", "Growing / Hand tools / Digging", _TOOL),
        ("cv-202", "Growing / Hand tools / Cutting", _TOOL),
        ("cv-203", "Growing / Hand tools / Sowing and pricking out", _TOOL),
        ("cv-204", "Growing / Hand tools / Sieves", _TOOL),
        ("cv-205", "Growing / Hand tools / Brushes", _TOOL),
        ("cv-206", "Growing / Hand tools / Measuring", _TOOL),
        ("cv-301", "Growing / Soils / For sowing", _SOIL),
        ("cv-302", "Growing / Soils / For potting", _SOIL),
        ("cv-303", "Growing / Soils / Grit and bark", _SOIL),
        ("cv-304", "Growing / Soils / Feeds", _SOIL),
        ("cv-401", "Growing / Seeds / Herbs", _SEED),
        ("cv-402", "Growing / Seeds / Vegetables", _SEED),
        ("cv-403", "Growing / Seeds / Flowers", _SEED),
        ("cv-404", "Growing / Seeds / Fruit", _SEED),
        ("cv-405", "Growing / Seeds / Salads and sprouts", _SEED),
        ("cv-501", "Growing / Water / Cans", (("material", "volume"), ("colour",))),
        ("cv-502", "Growing / Water / Misters", (("material", "volume"), ("colour",))),
        ("cv-503", "Growing / Water / Trays", _VESSEL),
        ("cv-504", "Growing / Water / Wicks", _OTHER),
        ("cv-601", "Growing / Care / Leaf care", (("volume",), ())),
        ("cv-602", "Growing / Care / Labels", _OTHER),
        ("cv-603", "Growing / Care / Ties and stakes", _OTHER),
        ("cv-604", "Growing / Care / Hooks and hangers", _OTHER),
        ("cv-701", "Giving / Sets", (("pieces",), ("material", "colour"))),
        ("cv-702", "Giving / Wrapping", _OTHER),
        ("cv-801", "Reading / Growing", _OTHER),
    )
}
