"""Holds what tests of pages share: somebody signed in, and a shop that has sold one pot."""

import pytest

from relvan.services.catalogue.families import NewFamily, link_family
from tests.applications import client_of
from tests.house import add_pot, connect, deliver, list_everywhere, read
from tests.snapshots import built_once
from tests.steps.catalogue import GLAZE
from tests.visitor import sign_in


@pytest.fixture
def web(workplace):
    return sign_in(client_of(workplace))


@built_once
def shop(workplace, owner, world):
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14")
    list_everywhere(workplace, owner, "PT-14")
    world.buy("hagglet", "PT-14")
    read(workplace)
    deliver(workplace)
    return workplace


@pytest.fixture
def family(workplace, owner):
    for sku in ("A", "B"):
        add_pot(workplace, owner, sku, units=3)
    head = NewFamily("F", "Pots", (GLAZE,), {"brand": "Quillmoss"})
    link_family(workplace, owner, head, {"A": {"Glaze": "Ink"}, "B": {"Glaze": "Oat"}})
    return "F"


@pytest.fixture
def ink_and_oat(workplace, owner, pots):
    members = {"PT-INK": {"Glaze": "Ink"}, "PT-OAT": {"Glaze": "Oat"}}
    link_family(workplace, owner, NewFamily("PT", "Aubrey pot", (GLAZE,), {}), members)


@pytest.fixture
def pots(workplace, owner):
    for sku, glaze in (("PT-INK", "ink"), ("PT-OAT", "oat"), ("PT-RUST", "rust")):
        add_pot(workplace, owner, sku, title=f"Aubrey pot, {glaze}")


@pytest.fixture
def client_outside(workplace):
    """A browser of somebody who has not signed in."""
    with client_of(workplace) as client:
        yield client
