"""What tests of pages share: somebody signed in, and a shop that has sold one pot."""

import pytest

from tests.applications import client_of
from tests.house import add_pot, connect, deliver, list_everywhere, read
from tests.snapshots import built_once
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
