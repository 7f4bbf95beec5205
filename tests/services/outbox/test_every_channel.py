"""Tests what must hold on every channel alike: lost answers, calls refused for being too many,
scripts of all kinds."""

import pytest

from relvan.gateways.calling import OutsideTrouble
from relvan.services.catalogue.save import change_facts
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.publish import publish_listings, take_down_listings
from relvan.services.outbox.deliver import deliver_next
from relvan.services.prices.set import set_list_price
from relvan.store.channels import channel_by_key
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from tests.house import assert_sound, channel_ids, count, deliver, persist
from tests.steps.every_channel import OWN, draft, listing, ready


@pytest.fixture
def shop(all_channels):
    return all_channels


NEEDED = {"corvello": "title", "hagglet": "heading", "loomstead": "title", "ownshop": "name"}
SCRIPTS = {
    "emoji": "Pot \U0001f331\U0001f3fd for \U0001f468\u200d\U0001f33e, 14 cm",
    "Hebrew": "עציץ חרס ירוק PT 14 בעבודת יד",
    "Arabic": "وعاء من الفخار ١٤ سم مصنوع يدويا",
    "both ways": "Pot \u2067עציץ\u2069 of clay, 14 cm",
    "Han": "陶製花盆綠釉十四公分手工製作",
}


@pytest.fixture
def lose(shop, monkeypatch):
    """Lets the answer to the next update of a channel be lost, after it took effect."""

    def lose(key):
        with shop.database.reading() as session:
            gateway = shop.gateway(channel_by_key(session, key))
        name = "hand_in" if key == "corvello" else "publish"
        send = getattr(gateway, name)

        def lost(*told):
            send(*told)
            monkeypatch.setattr(gateway, name, send)
            raise OutsideTrouble("The line broke", unclear=True)

        monkeypatch.setattr(gateway, name, lost)

    return lose


def lost_on(workplace, owner, key, lose):
    """Publishes a listing on a channel, whose answer is lost; returns its id."""
    listing_id = ready(workplace, owner, key)
    lose(key)
    publish_listings(workplace, owner, [listing_id])
    deliver_next(workplace, channel_ids(workplace)[key], "test")
    return listing_id


@pytest.mark.parametrize("key", OWN)
def test_what_changes_while_an_answer_is_lost_is_told_after_all(shop, owner, world, lose, key):
    listing_id = lost_on(shop, owner, key, lose)
    assert not listing(shop, listing_id).placed
    count(shop, owner, "PT-14", 5)
    set_list_price(shop, owner, "PT-14", "chf", 1900)
    set_list_price(shop, owner, "PT-14", "retail", 1900)
    persist(shop)
    shown = world.listings(key)
    assert {sku: (row["quantity"], row["price"]) for sku, row in shown.items()} == {
        "PT-14": (5, 1900)
    }
    told = listing(shop, listing_id)
    assert (told.sent_quantity, told.sent_price, told.state) == (5, 1900, "live")
    assert_sound(shop)


def test_a_number_that_changes_while_the_answer_to_its_hand_in_is_lost_is_handed_in_again(
    shop, owner, world, lose
):
    listing_id = ready(shop, owner, "corvello")
    publish_listings(shop, owner, [listing_id])
    deliver(shop)
    lose("corvello")
    count(shop, owner, "PT-14", 7)
    deliver_next(shop, channel_ids(shop)["corvello"], "test")
    count(shop, owner, "PT-14", 3)
    persist(shop)
    assert world.listings("corvello")["PT-14"]["quantity"] == 3
    assert listing(shop, listing_id).state == "live"
    assert_sound(shop)


@pytest.mark.parametrize("key", OWN)
def test_what_is_said_otherwise_while_an_answer_is_lost_is_behind(shop, owner, world, lose, key):
    listing_id = lost_on(shop, owner, key, lose)
    change_facts(shop, owner, [("PT-14", {"title": "A jug of clay, glazed"})])
    persist(shop)
    title = world.listings(key)["PT-14"]["title"]
    told = listing(shop, listing_id)
    if key == "ownshop":  # an item is put there again as it is now
        assert (title, told.outdated) == ("A jug of clay, glazed", "")
    else:
        assert title == "A pot of clay, glazed"
        assert told.outdated == ("" if key == "corvello" else "content"), (
            "at Corvello the page owns its title"
        )


@pytest.mark.parametrize("key", OWN)
def test_a_change_of_mind_while_an_answer_is_lost_counts(shop, owner, world, lose, key):
    listing_id = lost_on(shop, owner, key, lose)
    take_down_listings(shop, owner, [listing_id])
    persist(shop)
    assert listing(shop, listing_id).state == "down"
    assert world.listings(key)["PT-14"]["state"] != "live"
    assert_sound(shop)


@pytest.mark.parametrize("key", OWN)
def test_what_gets_a_gap_before_it_is_sent_is_kept_back_and_its_job_is_told(
    shop, owner, world, key
):
    listing_id = ready(shop, owner, key)
    job_id = publish_listings(shop, owner, [listing_id])
    change_facts(shop, owner, [("PT-14", {"weight_g": None, "description": ""})])
    change_listings(shop, owner, [listing_id], {NEEDED[key]: "x" * 9_999})
    deliver(shop)
    assert world.listings(key) == {}
    told = listing(shop, listing_id)
    assert (told.state, told.wish) == ("draft", "none")
    with shop.database.reading() as session:
        (row,) = job_verdicts(session, job_id)
        (job,) = job_rows(session, job_id=job_id)
    assert (row.verdict, row.reason) == ("refused", told.gaps[0]["message"])
    assert job.state == "ended"
    assert_sound(shop)


def test_what_sells_out_before_it_is_sent_goes_at_zero(shop, owner, world):
    listing_id = ready(shop, owner, "hagglet")
    publish_listings(shop, owner, [listing_id])
    count(shop, owner, "PT-14", 0)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 0
    assert listing(shop, listing_id).state == "live"
    assert_sound(shop)


@pytest.mark.parametrize("script", SCRIPTS)
def test_titles_of_any_script_arrive_as_they_are(shop, owner, world, script):
    title = SCRIPTS[script]
    first = ready(shop, owner, "hagglet", title=title)
    ids = [first, *(draft(shop, owner, key, "PT-14") for key in OWN if key != "hagglet")]
    publish_listings(shop, owner, ids)
    deliver(shop)
    shown = {key: world.listings(key)["PT-14"]["title"] for key in OWN}
    assert shown == dict.fromkeys(OWN, title)
    for key in OWN:
        page = world.client.get(listing(shop, ids[0]).page)
        assert page.status_code == 200, key
    assert {listing(shop, one).state for one in ids} == {"live"}


def test_with_calls_refused_throughout_everything_arrives_once(shop, owner, world):
    skus = [f"PT-{number}" for number in range(6)]
    ids = {key: [] for key in OWN}
    for sku in skus:
        ids["hagglet"].append(ready(shop, owner, "hagglet", sku))
    for key in OWN:
        world.weather(key, "throttled")
        if key != "hagglet":
            ids[key] = draft_listings(shop, owner, key, skus).listing_ids
            if OWN[key]:
                change_listings(shop, owner, ids[key], OWN[key])
    publish_listings(shop, owner, [one for found in ids.values() for one in found])
    for number, sku in enumerate(skus):
        count(shop, owner, sku, number + 2)
    persist(shop, rounds=2000)
    for key in OWN:
        shown = {sku: row["quantity"] for sku, row in world.listings(key).items()}
        assert shown == {sku: number + 2 for number, sku in enumerate(skus)}, key
    assert {listing(shop, one).state for found in ids.values() for one in found} == {"live"}
    assert_sound(shop)
