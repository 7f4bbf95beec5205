"""Tests what the channel no longer shows though nobody here asked for that: lapsed, taken down
there, put back there."""

import time
from datetime import datetime, timedelta

import pytest

from relvan.services.listings.publish import publish_listings, put_back_listings, take_down_listings
from relvan.services.listings.standing import read_standing
from relvan.store.channels import channels
from relvan.store.history import history
from relvan.store.listing_list import ListingFilter, count_listings, listing_page
from relvan.store.listings import listing_by_id
from tests.house import add_pot, assert_sound, channel_ids, count, deliver, read
from tests.steps.loomstead import listing, place


@pytest.fixture
def shop(loomstead_shop):
    return loomstead_shop


DAY = 24 * 60


def look(workplace, key="loomstead", tries=1):
    """Returns how many listings stand otherwise than we thought; a look that was broken off goes on
    where it stopped."""
    workplace.now.move(seconds=1)  # what was answered before this second is settled
    news = 0
    for _ in range(tries):
        found = read_standing(workplace, channel_ids(workplace)[key])
        news += found.news
        if not found.after:
            break
        time.sleep(0.3)
    return news


def pass_days(workplace, world, days):
    """Lets days pass, here and outside."""
    workplace.now.move(hours=24 * days)
    world.client.post("/world/clock", json={"advance_minutes": days * DAY}).raise_for_status()


def set_clocks(workplace, world):
    """Lets the workplace's clock tell the world's time."""
    told = datetime.fromisoformat(world.client.get("/world").json()["time"])
    workplace.now.now = told


def deeds(workplace, held):
    with workplace.database.reading() as session:
        return [entry.deed for entry in history(session, "listing", held.id)]


@pytest.fixture
def placed(shop, owner, world):
    set_clocks(shop, world)
    return place(shop, owner)


def test_until_when_a_listing_stands_is_known_from_the_start(shop, placed):
    assert (placed.until - shop.now()).days in (99, 100)
    with shop.database.reading() as session:
        (other,) = listing_page(session, ListingFilter(channel="ownshop"))
        assert listing_by_id(session, other.id).until is None, (
            "not every channel lets listings lapse"
        )


def test_lapses_are_seen_coming(shop, placed, world):
    def lapsing(days):
        with shop.database.reading() as session:
            return count_listings(
                session, ListingFilter(lapsing_before=shop.now() + timedelta(days=days))
            ).number

    assert (lapsing(7), lapsing(101)) == (0, 1)
    pass_days(shop, world, 95)
    assert lapsing(7) == 1


def test_a_listing_that_lapsed_is_down_and_is_put_back_for_another_hundred_days(
    shop, owner, placed, world
):
    pass_days(shop, world, 101)
    assert look(shop) == 1
    held = listing(shop)
    assert (held.state, held.shown, held.gone) == ("down", False, "lapsed")
    assert deeds(shop, held)[0] == "lapsed"
    assert look(shop) == 0, "told once"
    put_back_listings(shop, owner, [held.id])
    assert listing(shop).state == "sending"
    deliver(shop)
    assert world.listings("loomstead")["PT-14"]["state"] == "live"
    look(shop)
    held = listing(shop)
    assert (held.state, held.gone) == ("live", "")
    assert held.until > shop.now()
    assert_sound(shop)


def test_one_that_still_stands_is_renewed_before_it_lapses(shop, owner, placed, world):
    pass_days(shop, world, 60)
    put_back_listings(shop, owner, [placed.id])
    deliver(shop)
    look(shop)
    assert listing(shop).state == "live"
    assert (listing(shop).until - placed.until).days in (59, 60)


@pytest.mark.parametrize("key", ["loomstead", "ownshop"])
def test_what_was_taken_down_outside_is_noticed_and_so_is_its_return(
    shop, owner, placed, world, key
):
    with shop.database.reading() as session:
        (row,) = listing_page(session, ListingFilter(channel=key))
    gateway = shop.gateway(next(c for c in _channels(shop) if c.key == key))
    gateway.set_shown(row.ref, False)
    assert look(shop, key) == 1
    with shop.database.reading() as session:
        held = listing_by_id(session, row.id)
    assert (held.state, held.gone) == ("down", "taken down there")
    gateway.set_shown(row.ref, True)
    assert look(shop, key) == 1
    with shop.database.reading() as session:
        held = listing_by_id(session, row.id)
    assert (held.state, held.gone) == ("live", "")


def _channels(workplace):
    with workplace.database.reading() as session:
        return channels(session)


def test_what_we_took_down_ourselves_is_no_news(shop, owner, placed, world):
    take_down_listings(shop, owner, [placed.id])
    assert look(shop) == 0, "it waits to be sent"
    deliver(shop)
    assert look(shop) == 0
    held = listing(shop)
    assert (held.state, held.gone) == ("down", "")
    pass_days(shop, world, 200)
    assert look(shop) == 0, "nor is it that it lapsed meanwhile"


def test_what_is_taken_down_here_after_it_vanished_there_stays_down(shop, owner, placed, world):
    pass_days(shop, world, 101)
    look(shop)
    take_down_listings(shop, owner, [placed.id])
    deliver(shop)
    assert (listing(shop).state, listing(shop).gone) == ("down", "")


def test_a_lapsed_listing_is_put_back_by_publishing_too(shop, owner, placed, world):
    pass_days(shop, world, 101)
    look(shop)
    publish_listings(shop, owner, [placed.id])
    deliver(shop)
    assert listing(shop).state == "live"


def test_nothing_is_put_back_without_stock(shop, owner, placed, world):
    pass_days(shop, world, 101)
    look(shop)
    count(shop, owner, "PT-14", 0)
    put_back_listings(shop, owner, [placed.id])
    deliver(shop)
    assert listing(shop).state == "down"
    assert world.listings("loomstead")["PT-14"]["state"] == "lapsed"


@pytest.mark.parametrize("kind", ["down", "flaky", "lost answers", "throttled"])
def test_a_channel_that_does_not_answer_takes_nothing_down(shop, placed, world, kind):
    world.weather("loomstead", kind, seed=3)
    for _ in range(6):
        assert look(shop) == 0
    assert listing(shop).state == "live"


def test_pages_are_read_to_the_end_and_others_listings_left_alone(
    shop, owner, placed, world, count_queries
):
    head = {"Authorization": f"Key {world.token('loomstead')}"}
    piece = world.client.get("/loomstead/desk/pieces", headers=head).json()["pieces"][0]
    body = {
        name: piece[name]
        for name in ("title", "story", "corner", "facts", "pictures", "rappen", "at_hand")
    }
    for n in range(120):
        wish = {**head, "Wish": f"by hand {n}"}
        answer = world.client.post(
            "/loomstead/desk/pieces", json={**body, "code": f"X-{n}"}, headers=wish
        )
        while answer.status_code == 429:
            answer = world.client.post(
                "/loomstead/desk/pieces", json={**body, "code": f"X-{n}"}, headers=wish
            )
        assert answer.status_code == 201
    time.sleep(1.5)  # the desk has had enough calls for the moment
    with count_queries(shop.database) as statements:
        assert look(shop, tries=10) == 0
    assert len([s for s in statements if s.lstrip().startswith("SELECT")]) < 25, (
        "no query for each row"
    )
    pass_days(shop, world, 101)
    assert look(shop, tries=10) == 1


def test_an_order_read_meanwhile_is_taken_all_the_same(shop, owner, placed, world):
    add_pot(shop, owner, "PT-18")
    world.buy("loomstead", "PT-14")
    pass_days(shop, world, 101)
    look(shop)
    assert len(read(shop)) == 1
    assert_sound(shop)
