"""Tests several accounts of one marketplace, their names, and accounts at carriers."""

import pytest

from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.channels import carriers
from relvan.services.channels.carriers import CarrierWish, change_carrier, connect_carrier
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.store.channels import channel_names
from tests.house import add_pot, connect, list_everywhere


def names(workplace):
    with workplace.database.reading() as session:
        return dict(channel_names(session))


def account(world, **more):
    return ConnectChannel("hagglet", world.seller_api("hagglet"), world.token("hagglet"), **more)


def test_another_account_is_a_channel_of_its_own(workplace, owner, world):
    assert connect_channel(workplace, owner, account(world)) == "hagglet"
    assert connect_channel(workplace, owner, account(world)) == "hagglet"  # renewed
    assert connect_channel(workplace, owner, account(world, another=True)) == "hagglet-2"
    assert names(workplace) == {"hagglet": "Hagglet", "hagglet-2": "Hagglet 2"}
    more = account(world, another=True, name="Outlet")
    assert connect_channel(workplace, owner, more) == "hagglet-3"
    assert connect_channel(workplace, owner, account(world, key="hagglet-3")) == "hagglet-3"
    assert names(workplace)["hagglet-3"] == "Outlet"  # a renewed one keeps its name
    with pytest.raises(Refused):
        connect_channel(workplace, owner, account(world, key="hagglet-9"))
    add_pot(workplace, owner, "PT-14")
    placed = list_everywhere(workplace, owner, "PT-14")
    assert {key for key, _ in placed} == {"hagglet", "hagglet-2", "hagglet-3"}


def test_a_channel_is_renamed_and_keeps_its_key(workplace, owner, picker, world):
    connect(workplace, owner, world)
    change_channel(workplace, owner, "hagglet", {"name": " Market stall "})
    assert names(workplace)["hagglet"] == "Market stall"
    for wrong in ("", "own SHOP", "x" * 61):
        with pytest.raises(Refused) as refused:
            change_channel(workplace, owner, "hagglet", {"name": wrong})
        assert refused.value.first.field == "name"
    with pytest.raises(NotAllowed):
        change_channel(workplace, picker, "hagglet", {"name": "Mine"})
    connect(workplace, owner, world)  # connecting again does not take the name away
    assert names(workplace)["hagglet"] == "Market stall"


def test_a_carrier_is_tested_changed_and_refused(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    assert carriers.test_carrier(workplace, owner, "ostrel") == "Quillmoss"
    assert change_carrier(workplace, owner, "ostrel", CarrierWish(name="Post")) == "Quillmoss"
    with pytest.raises(Refused) as refused:
        change_carrier(workplace, owner, "ostrel", CarrierWish(token="wrong"))
    assert refused.value.first.code == "unreachable"
    assert (
        carriers.test_carrier(workplace, owner, "ostrel") == "Quillmoss"
    )  # the old token still holds
    world.weather("ostrel", "down")
    with pytest.raises(Refused):
        carriers.test_carrier(workplace, owner, "ostrel")
    with pytest.raises(NotFound):
        carriers.test_carrier(workplace, owner, "haulwell")
    with pytest.raises(Refused):
        connect_carrier(workplace, owner, "haulwell", "H", world.seller_api("ostrel"), "t")
