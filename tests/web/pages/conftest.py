"""Holds what tests of these pages share."""

import pytest

from relvan.services.orders.release import release_orders
from tests.applications import client_of
from tests.house import add_pot, connect, list_everywhere, orders, read
from tests.snapshots import built_once
from tests.steps.corvello import gtin
from tests.visitor import sign_in


@pytest.fixture
def aubrey_pots(workplace, owner, world):
    connect(workplace, owner, world, "hagglet", "corvello")
    for number in range(3):
        add_pot(
            workplace,
            owner,
            f"PT-{number}",
            title=f"Aubrey pot {number} in oat",
            brand="Quillmoss",
            gtin=gtin(number),
        )
    return workplace


@built_once
def released(workplace, owner, world):
    """Builds two released orders: three PT-14 and one PT-18."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", aliases=("OLD-14",))
    add_pot(workplace, owner, "PT-18")
    list_everywhere(workplace, owner, "PT-14", "PT-18")
    world.buy("hagglet", "PT-14", 3)
    world.buy("ownshop", "PT-18")
    read(workplace)
    release_orders(workplace, owner, [row.number for row in orders(workplace)])
    return workplace


@pytest.fixture
def boss(released):
    return sign_in(client_of(released))


@built_once
def on_two_channels(workplace, owner, world):
    """Builds a pot, 20 of it, on Hagglet and in the own shop."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=20, category="Pots / Small")
    list_everywhere(workplace, owner, "PT-14")
    return workplace


@pytest.fixture
def signed_in(on_two_channels):
    return sign_in(client_of(on_two_channels))
