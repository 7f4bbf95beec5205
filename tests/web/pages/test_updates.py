"""Tests the page of updates: what waits, how late, what was refused, and who delivers."""

from relvan.services.duties import take_share
from relvan.services.listings.hold_backs import mind_silence
from relvan.services.outbox.deliver import deliver_next
from tests.house import channel_ids, count, deliver, read
from tests.steps.channel_pages import words
from tests.visitor import post

PAGE = "/setup/channels/hagglet"


def test_updates_tell_what_waits_how_late_and_what_was_refused(
    signed_in, world, on_two_channels, owner
):
    assert "Nothing waits: the channel has accepted every update." in words(
        signed_in.get("/updates")
    )
    world.weather("hagglet", "down")
    count(on_two_channels, owner, "PT-14", 9)
    for _ in range(6):
        deliver_next(on_two_channels, channel_ids(on_two_channels)["hagglet"], "test")
        on_two_channels.now.move(minutes=2)
    told = words(signed_in.get("/updates"))
    assert "Hagglet in trouble" in told
    assert "quantity 1 tried before 1" in told
    assert "Everything is kept and goes out when it answers again." in told
    world.weather("hagglet", "calm")
    on_two_channels.now.move(minutes=2)
    deliver(on_two_channels)
    assert "of 1" in words(signed_in.get("/updates"))
    read(on_two_channels)
    assert "Hagglet paused" in words(
        post(signed_in, f"{PAGE}/pause", paused="yes", back="/updates")
    )
    on_two_channels.now.move(minutes=5)
    mind_silence(on_two_channels)
    assert "Its orders could not be read for some 6 minutes." in words(signed_in.get("/updates"))
    assert "Hagglet healthy" in words(
        post(signed_in, f"{PAGE}/pause", paused="no", back="/updates")
    )


def test_updates_name_the_workers_and_say_when_none_runs(signed_in, on_two_channels):
    assert "No worker runs." in words(signed_in.get("/updates"))
    take_share(on_two_channels, "anvil")
    told = words(signed_in.get("/updates"))
    assert "Worker anvil takes care of 2 channels." in told
    assert "No worker runs." not in told
    on_two_channels.now.move(minutes=1)
    take_share(on_two_channels, "bellows")
    assert "Worker anvil not seen since" in words(signed_in.get("/updates"))
    on_two_channels.now.move(minutes=1)
    told = words(signed_in.get("/updates"))
    assert "No worker runs." in told
    assert "bellows was lost" in told
