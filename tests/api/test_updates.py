"""Tests who delivers and reads, over the API."""

from relvan.services.duties import take_share
from relvan.services.listings.hold_backs import mind_silence
from tests.house import connect, read


def test_workers_are_listed_with_their_channels(api, workplace, owner, world):
    connect(workplace, owner, world)
    assert api.get("/api/v1/workers").json() == {"items": []}
    take_share(workplace, "anvil")
    (worker,) = api.get("/api/v1/workers").json()["items"]
    assert (worker["name"], worker["channels"], worker["lives"]) == ("anvil", 2, True)
    workplace.now.move(minutes=1)
    assert not api.get("/api/v1/workers").json()["items"][0]["lives"]


def test_how_long_a_channel_is_silent_is_told(api, workplace, owner, world):
    connect(workplace, owner, world)
    read(workplace)
    assert api.get("/api/v1/channels/hagglet/updates").json()["silent_minutes"] == 0
    world.weather("hagglet", "down")
    workplace.now.move(minutes=5)
    read(workplace)
    mind_silence(workplace)
    told = api.get("/api/v1/channels/hagglet/updates").json()
    assert (told["silent_minutes"], bool(told["last_error"])) == (6, True)
