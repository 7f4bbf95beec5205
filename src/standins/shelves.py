"""Defines the shelves of Hagglet: which details a notice must have there, and the allowed values of
some.
"""

from typing import NamedTuple


class Shelf(NamedTuple):
    """A shelf: its name as a path, and the details that it needs."""

    name: str
    needs: tuple[str, ...] = ()


# a detail -> what may be said; all others are free text
DETAILS: dict[str, tuple[str, ...]] = {
    "sowing": ("indoors", "outdoors", "either"),
    "power": ("by hand", "mains", "battery"),
    "skill": ("beginner", "practised", "expert"),
}

SHELVES: dict[str, Shelf] = {
    "hg-planters": Shelf("Home and garden / Planters and pots", ("material",)),
    "hg-tools": Shelf("Home and garden / Garden hand tools", ("material",)),
    "hg-soil": Shelf("Home and garden / Soil and feed"),
    "hg-seeds": Shelf("Home and garden / Seeds and bulbs"),
    "hg-watering": Shelf("Home and garden / Watering"),
    "hg-other": Shelf("Home and garden / Everything else"),
    "hg-saucers": Shelf("Home and garden / Planters and pots / Saucers", ("material",)),
    "hg-hanging": Shelf("Home and garden / Planters and pots / Hanging", ("material",)),
    "hg-window-boxes": Shelf("Home and garden / Planters and pots / Window boxes", ("material",)),
    "hg-stands": Shelf("Home and garden / Planters and pots / Stands and trolleys", ("material",)),
    "hg-terrariums": Shelf("Home and garden / Planters and pots / Terrariums", ("material",)),
    "hg-cutting": Shelf("Home and garden / Garden hand tools / Cutting", ("material",)),
    "hg-measuring": Shelf("Home and garden / Garden hand tools / Measuring"),
    "hg-gloves": Shelf("Home and garden / Garden hand tools / Gloves and aprons", ("material",)),
    "hg-power-tools": Shelf("Home and garden / Garden machines", ("power",)),
    "hg-lamps": Shelf("Home and garden / Plant lamps", ("power",)),
    "hg-herbs": Shelf("Home and garden / Seeds and bulbs / Herbs", ("sowing",)),
    "hg-flowers": Shelf("Home and garden / Seeds and bulbs / Flowers", ("sowing",)),
    "hg-vegetables": Shelf("Home and garden / Seeds and bulbs / Vegetables", ("sowing",)),
    "hg-sprouts": Shelf("Home and garden / Seeds and bulbs / Sprouts", ("sowing",)),
    "hg-bulbs": Shelf("Home and garden / Seeds and bulbs / Bulbs"),
    "hg-compost": Shelf("Home and garden / Soil and feed / Compost"),
    "hg-feed": Shelf("Home and garden / Soil and feed / Feed"),
    "hg-pests": Shelf("Home and garden / Plant health"),
    "hg-cans": Shelf("Home and garden / Watering / Cans", ("material",)),
    "hg-misters": Shelf("Home and garden / Watering / Misters", ("material",)),
    "hg-drip": Shelf("Home and garden / Watering / Drip and wick"),
    "hg-labels": Shelf("Home and garden / Labels and twine"),
    "hg-supports": Shelf("Home and garden / Supports"),
    "hg-kits": Shelf("Home and garden / Growing kits", ("skill",)),
    "hg-books": Shelf("Books and paper / Gardening"),
    "hg-gifts": Shelf("Gifts / For gardeners"),
    "hg-wrap": Shelf("Gifts / Wrap and cards"),
}
