"""A channel's set-up and the updates, as pages: what would change is seen first, and nothing is off
in silence."""

import pytest

from relvan.services.duties import take_share
from relvan.services.listings.hold_backs import mind_silence
from relvan.services.outbox.deliver import deliver_next
from tests.applications import client_of
from tests.house import add_pot, channel_ids, connect, count, deliver, list_everywhere, read
from tests.snapshots import built_once
from tests.steps.channel_pages import words
from tests.visitor import post, sign_in

PAGE = "/setup/channels/hagglet"


@built_once
def shop(workplace, owner, world):
    """A pot, 20 of it, on Hagglet and in the own shop."""
    connect(workplace, owner, world)
    add_pot(workplace, owner, "PT-14", units=20, category="Pots / Small")
    list_everywhere(workplace, owner, "PT-14")
    return workplace


@pytest.fixture
def web(shop):
    return sign_in(client_of(shop))


def test_other_quantities_are_seen_before_they_are_saved(web, world, shop):
    told = words(
        post(
            web,
            f"{PAGE}/shown/try",
            share="50",
            cap="4",
            supply_asked="yes",
            supply=["millrace", "yard"],
        )
    )
    assert "1 of 1 quantity would be another , 1 lower." in told
    assert "PT-14 live Pot PT-14 20 20 4" in told
    assert "1 would show none any more" in words(
        post(web, f"{PAGE}/shown/try", supply_asked="yes", supply=["yard"])
    )
    assert "between 0 and 100" in words(post(web, f"{PAGE}/shown/try", share="150"))
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 20
    assert "In step by itself: quantity and price of 1 listing" in words(
        post(web, f"{PAGE}/shown", cap="4")
    )
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 4


def test_other_fees_and_a_rate_are_tried_without_being_saved(web):
    steps = {
        "price_list": "retail",
        "step_kind": "cover fees",
        "step_value": "",
        "step_direction": "",
    }
    told = words(post(web, f"{PAGE}/prices/try", **steps, try_fixed="5.00", try_referral="0"))
    assert "1 of 1 price would be another , 1 higher" in told
    assert "must be from 0 to less than 100" in words(
        post(web, f"{PAGE}/prices/try", **steps, try_referral="100")
    )
    post(web, f"{PAGE}/prices", **steps, try_fixed="5.00")
    assert "None of 1 price would be another" in words(post(web, f"{PAGE}/prices/try", **steps))
    told = words(post(web, "/prices/rates/try", source="EUR", target="CHF", rate="0.9"))
    assert (
        told
        == "No channel converts its prices or sells in another currency: a rate would change none."
    )
    assert "must be a number" in words(
        post(web, "/prices/rates/try", source="EUR", target="CHF", rate="much")
    )


def test_a_nearer_policy_is_set_and_taken_away(web, world, shop):
    answer = words(post(web, f"{PAGE}/nearer", kind="category", of="Pots / Small", cap="3"))
    assert "category Pots / Small 100 % of what is free, at most 3; stays up at zero" in answer
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 3
    refused = post(web, f"{PAGE}/nearer", kind="product", of="NOPE", cap="3")
    assert (refused.status_code, "There is no product “NOPE”" in words(refused)) == (422, True)
    post(web, f"{PAGE}/nearer", kind="category", of="Pots / Small", deed="take away")
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 20


def test_updates_tell_what_waits_how_late_and_what_was_refused(web, world, shop, owner):
    assert "Nothing waits: the channel has accepted every update." in words(web.get("/updates"))
    world.weather("hagglet", "down")
    count(shop, owner, "PT-14", 9)
    for _ in range(6):
        deliver_next(shop, channel_ids(shop)["hagglet"], "test")
        shop.now.move(minutes=2)
    told = words(web.get("/updates"))
    assert "Hagglet in trouble" in told
    assert "quantity 1 tried before 1" in told
    assert "Everything is kept and goes out when it answers again." in told
    world.weather("hagglet", "calm")
    shop.now.move(minutes=2)
    deliver(shop)
    assert "of 1" in words(web.get("/updates"))
    read(shop)
    assert "Hagglet paused" in words(post(web, f"{PAGE}/pause", paused="yes", back="/updates"))
    shop.now.move(minutes=5)
    mind_silence(shop)
    assert "Its orders could not be read for some 6 minutes." in words(web.get("/updates"))
    assert "Hagglet healthy" in words(post(web, f"{PAGE}/pause", paused="no", back="/updates"))


def test_updates_name_the_workers_and_say_when_none_runs(web, shop):
    assert "No worker runs." in words(web.get("/updates"))
    take_share(shop, "anvil")
    told = words(web.get("/updates"))
    assert "Worker anvil takes care of 2 channels." in told
    assert "No worker runs." not in told
    shop.now.move(minutes=1)
    take_share(shop, "bellows")
    assert "Worker anvil not seen since" in words(web.get("/updates"))
    shop.now.move(minutes=1)
    told = words(web.get("/updates"))
    assert "No worker runs." in told
    assert "bellows was lost" in told
