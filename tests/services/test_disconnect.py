"""Tests the disconnecting of a channel: what it touches is said, what is chosen is done, and nothing
that is sold afterwards is lost when the account is connected again.
"""

import pytest

from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.channels.connect import ConnectChannel, connect_channel
from relvan.services.channels.settings import change_channel
from relvan.services.disconnect import (
    disconnect,
    end_at_once,
    foresee_disconnecting,
    go_on_parting,
    stay_connected,
)
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.findings import read_findings
from relvan.services.listings.publish import publish_listings
from relvan.services.listings.standing import read_standing
from relvan.services.orders.read import read_orders
from relvan.services.outbox.deliver import deliver_next
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.store.channels import channel_names, find_channel
from relvan.store.history import history
from relvan.store.listings import listings_of
from relvan.store.tables import BulkJob
from relvan.store.updates import waiting_updates
from tests.house import (
    add_pot,
    assert_sound,
    channel_ids,
    count,
    deliver,
    list_everywhere,
    orders,
    read,
    work,
)
from tests.steps.sale import packed, picks_of, release_all

LEAVE = {"listings": "leave", "orders": "keep"}
TAKE_DOWN = {"listings": "take-down", "orders": "keep"}


@pytest.fixture
def shop(two_pots):
    return two_pots


def listings_by_channel(workplace):
    with workplace.database.reading() as session:
        found = [listing.channel_id for listing in listings_of(session)]
    return {channel: found.count(channel) for channel in found}


def connection(workplace, key="hagglet"):
    with workplace.database.reading() as session:
        return find_channel(session, key).connection


def test_what_it_touches_is_said_first_and_nothing_is_taken_for_granted(shop, owner, world):
    world.buy("hagglet", "PT-14")
    read(shop)
    found = foresee_disconnecting(shop, "hagglet")
    assert (found.live, found.listings, found.orders, found.cancellable) == (2, 2, 1, 1)
    assert found.own == 2  # each has a shelf of its own
    for wish in ({}, {"listings": "leave"}, {"listings": "burn", "orders": "keep"}):
        with pytest.raises(Refused) as refused:
            disconnect(shop, owner, "hagglet", wish)
        assert refused.value.first.code == "not-chosen"
    assert connection(shop) == "connected"


def test_listings_left_there_stay_and_nothing_more_is_sent_or_read(shop, owner, world):
    place = channel_ids(shop)["hagglet"]
    assert disconnect(shop, owner, "hagglet", LEAVE) == "clearing"
    go_on_parting(shop)
    go_on_parting(shop)  # repeating it does nothing
    assert connection(shop) == "ended"
    assert place not in listings_by_channel(shop)
    with shop.database.reading() as session:
        assert channel_names(session) == [("ownshop", "Own shop")]
        ended = find_channel(session, "hagglet")
    assert (ended.token, ended.hook_secret) == ("", "")
    count(shop, owner, "PT-14", 3)
    deliver(shop)
    assert world.listings("hagglet")["PT-14"]["quantity"] == 10  # nobody keeps it in step
    assert world.listings("ownshop")["PT-14"]["quantity"] == 3
    world.buy("hagglet", "PT-14")
    assert read_orders(shop, place).numbers == ()
    assert deliver_next(shop, place, "test").sent == 0
    assert read_standing(shop, place).news == 0
    with pytest.raises(NotFound):
        change_channel(shop, owner, "hagglet", {"name": "Elsewhere"})
    with pytest.raises(NotFound):
        draft_listings(shop, owner, "hagglet", ["PT-18"])
    with shop.database.reading() as session:
        assert place not in waiting_updates(session)
    assert_sound(shop)


def test_listings_are_taken_down_before_the_connection_ends(shop, owner, world):
    assert disconnect(shop, owner, "hagglet", TAKE_DOWN) == "ending"
    with pytest.raises(Refused):
        disconnect(shop, owner, "hagglet", LEAVE)
    go_on_parting(shop)
    assert connection(shop) == "ending"  # the channel has not answered yet
    deliver(shop)
    assert {one["state"] for one in world.listings("hagglet").values()} == {"closed"}
    go_on_parting(shop)
    assert connection(shop) == "ended"
    assert_sound(shop)


def test_a_channel_that_does_not_answer_can_be_left_without_waiting(shop, owner, world):
    world.weather("hagglet", "down")
    disconnect(shop, owner, "hagglet", TAKE_DOWN)
    deliver(shop, most=2)
    go_on_parting(shop)
    assert connection(shop) == "ending"
    end_at_once(shop, owner, "hagglet")
    go_on_parting(shop)
    assert connection(shop) == "ended"
    with shop.database.reading() as session:
        job = session.get_one(BulkJob, 3)
    assert (job.title.split()[0], job.state, job.refused) == ("Take", "ended", 2)
    assert_sound(shop)


def test_the_end_can_be_cancelled_while_it_waits(shop, owner, world):
    disconnect(shop, owner, "hagglet", TAKE_DOWN)
    stay_connected(shop, owner, "hagglet")
    deliver(shop)
    go_on_parting(shop)
    assert connection(shop) == "connected"
    assert len(listings_by_channel(shop)) == 2
    for late in (stay_connected, end_at_once):
        with pytest.raises(Refused):
            late(shop, owner, "hagglet")


def test_a_paused_channel_cannot_be_told_and_is_left_at_once(shop, owner):
    change_channel(shop, owner, "hagglet", {"paused": True})
    with pytest.raises(Refused) as refused:
        disconnect(shop, owner, "hagglet", TAKE_DOWN)
    assert refused.value.first.code == "paused"
    assert disconnect(shop, owner, "hagglet", LEAVE) == "clearing"


def test_open_orders_are_kept_and_sent_without_telling_the_channel(shop, owner, world):
    number = world.buy("hagglet", "PT-14")
    read(shop)
    deliver(shop)
    disconnect(shop, owner, "hagglet", LEAVE)
    go_on_parting(shop)
    (shipment,) = release_all(shop, owner)
    pick_list = make_pick_list(shop, owner, [shipment])
    record_pick(shop, owner, pick_list, picks_of(shop, pick_list)[0].id, 1, "PT-14")
    packed(shop, owner, shipment)
    assert [one.ok for one in dispatch_shipments(shop, owner, [shipment])] == [True]
    assert orders(shop)[0].tray == "floor"
    with shop.database.reading() as session:
        assert waiting_updates(session) == {}
    assert world.order("hagglet", number)["state"] != "sent"
    assert_sound(shop)


def test_open_orders_are_cancelled_by_choice(shop, owner, world):
    world.buy("hagglet", "PT-14", 2)
    world.buy("ownshop", "PT-14")
    read(shop)
    deliver(shop)
    disconnect(shop, owner, "hagglet", {"listings": "leave", "orders": "cancel"})
    assert sorted(row.tray for row in orders(shop)) == ["cancelled", "inbox"]
    deliver(shop)
    assert world.listings("ownshop")["PT-14"]["quantity"] == 9
    assert_sound(shop)


def test_an_account_connected_again_gets_the_orders_that_came_meanwhile(shop, owner, world):
    world.buy("hagglet", "PT-14")
    read(shop)
    deliver(shop)
    disconnect(shop, owner, "hagglet", LEAVE)
    wish = ConnectChannel("hagglet", world.seller_api("hagglet"), world.token("hagglet"))
    with pytest.raises(Refused) as refused:
        connect_channel(shop, owner, wish)  # its listings are still being deleted
    assert refused.value.first.code == "clearing"
    go_on_parting(shop)
    world.buy("hagglet", "PT-18")
    assert connect_channel(shop, owner, wish) == "hagglet"
    assert len(read(shop)) == 1  # the one that came meanwhile, and not the other once more
    assert len(orders(shop)) == 2
    read_findings(shop, owner, "hagglet")
    work(shop)
    assert listings_by_channel(shop)[channel_ids(shop)["hagglet"]] == 2  # linked by their SKUs
    assert_sound(shop)


def test_families_and_waiting_jobs_do_not_hold_the_deletion_up(shop, owner, world):
    add_pot(shop, owner, "PT-20")
    (draft,) = draft_listings(shop, owner, "hagglet", ["PT-20"]).listing_ids
    change_listings(shop, owner, [draft], {"shelf": "hg-planters"})
    job_id = publish_listings(shop, owner, [draft])
    disconnect(shop, owner, "hagglet", LEAVE)
    go_on_parting(shop)
    with shop.database.reading() as session:
        job = session.get_one(BulkJob, job_id)
        place = find_channel(session, "hagglet").id
        deeds = [line.deed for line in history(session, "channel", place, 10)]
    assert (job.state, job.refused) == ("ended", 1)  # and it does not wait for ever
    assert deeds[:2] == ["disconnected", "disconnecting"]
    list_everywhere(shop, owner, "PT-20")  # the others go on
    assert_sound(shop)


def test_very_many_listings_are_deleted_some_at_a_time(shop, owner, monkeypatch):
    monkeypatch.setattr("relvan.services.disconnect.AT_ONCE", 1)
    monkeypatch.setattr("relvan.services.disconnect.BLOCKS", 2)
    place = channel_ids(shop)["hagglet"]
    disconnect(shop, owner, "hagglet", LEAVE)
    assert go_on_parting(shop) is True
    assert (connection(shop), place in listings_by_channel(shop)) == ("clearing", False)
    assert go_on_parting(shop) is False
    assert connection(shop) == "ended"


def test_what_breaks_off_on_the_way_leaves_the_channel_connected(shop, owner, monkeypatch):
    def breaks(*_):
        raise RuntimeError

    monkeypatch.setattr("relvan.services.disconnect.take_down_listings", breaks)
    with pytest.raises(RuntimeError):
        disconnect(shop, owner, "hagglet", TAKE_DOWN)
    go_on_parting(shop)
    assert connection(shop) == "connected"


def test_only_who_may_set_up_disconnects(shop, picker):
    for deed in (stay_connected, end_at_once):
        with pytest.raises(NotAllowed):
            deed(shop, picker, "hagglet")
    with pytest.raises(NotAllowed):
        disconnect(shop, picker, "hagglet", LEAVE)
