"""Builds shops that tests of several files begin with."""

import pytest

from relvan.services.catalogue.families import (
    link_family,
)
from relvan.services.catalogue.save import create_product
from relvan.services.prices.lists import NewPriceList, add_price_list
from relvan.services.prices.set import set_list_price
from tests.house import add_pot, connect, list_everywhere, pot
from tests.snapshots import built_once
from tests.steps.catalogue import family
from tests.steps.every_channel import OWN


@built_once
def two_pots(workplace, owner, world):
    """Builds two pots on two channels, ten of each."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", gtin="4006381333931")
    add_pot(workplace, owner, "PT-18", aliases=("OLD-18",))
    list_everywhere(workplace, owner, "PT-14", "PT-18")
    return workplace


@built_once
def all_channels(workplace, owner, world):
    """Builds all four channels."""
    add_price_list(workplace, owner, NewPriceList("chf", "Francs", "CHF", True))
    connect(workplace, owner, world, *OWN)
    return workplace


@pytest.fixture
def francs(workplace, owner):
    add_price_list(workplace, owner, NewPriceList("chf", "Francs", "CHF", True))
    return workplace


@built_once
def loomstead_shop(francs, owner, world):
    """Builds a pot on Loomstead and in the own shop, ten of it."""
    connect(francs, owner, world, "ownshop", "loomstead")
    add_pot(francs, owner, "PT-14", attributes={"material": "Stoneware"}, floor=1200)
    set_list_price(francs, owner, "PT-14", "chf", 1800)
    return francs


@built_once
def pots(workplace, owner):
    """Builds four loose pots and a family made of them."""
    members = {}
    for glaze in ("Ink", "Oat"):
        for size in ("9 cm", "14 cm"):
            sku = f"PT-{size[:2].strip()}-{glaze.upper()}"
            draft = pot(sku, title=f"Aubrey pot, {glaze.lower()} glaze, {size}")
            create_product(workplace, owner, draft)
            members[sku] = {"Glaze": glaze, "Size": size}
    link_family(workplace, owner, family(), members)
    return members


@built_once
def one_pot(workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    return workplace
