"""Tests that parcels are followed after they have left: order, channel and customer hear of it once, in
any weather, and what is charged is taken over."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from relvan.core.mail.texts import MailEvent, MailText
from relvan.core.refusal import NotFound, Refused
from relvan.core.shipping.tracking import (
    Claim,
    ClaimState,
    ParcelStage,
    ParcelStanding,
    parcel_standing,
)
from relvan.services.mail.texts import save_mail_text
from relvan.services.outbox.deliver import deliver_next
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.setup.mail import change_mail_server
from relvan.services.shipping.claims import claim_facts, note_claim, parcels_file
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.manifests import make_manifest
from relvan.services.shipping.tracking import follow_parcels, tracked
from relvan.services.shipping.voids import label_many
from relvan.store.channels import channels
from relvan.store.dispatch import parcel_by_id
from relvan.store.history import history
from relvan.store.mailing import mail_page
from relvan.store.orders import order_by_number
from relvan.store.parcels import ParcelList, ParcelWish, count_by_list, left_parcels
from relvan.store.session import Session
from tests.house import assert_sound, read
from tests.steps.sale import picks_of, release_all

MANY = 3


@pytest.fixture
def shop(two_pots, owner, world, clock):
    """Sends three parcels from Millrace, by a clock that goes with the world's."""
    clock.now = datetime.now(UTC)
    buyer = {
        "name": "Ada",
        "street": "1 Row",
        "town": "T",
        "country": "IE",
        "mail": "ada@x.example",
    }
    for _ in range(MANY):
        world.buy("hagglet", "PT-14", 1, buyer=buyer)
    read(two_pots)
    ids = release_all(two_pots, owner)
    made = make_pick_list(two_pots, owner, ids)
    for pick in picks_of(two_pots, made):
        record_pick(two_pots, owner, made, pick.id, pick.quantity)
    for shipment in ids:
        add_parcel(two_pots, owner, shipment, [], 900)
    assert all(one.ok for one in label_many(two_pots, owner, ids, "ostrel:tracked"))
    assert all(one.ok for one in dispatch_shipments(two_pots, owner, ids))
    return two_pots


@pytest.fixture
def travel(world, clock):
    """Returns a function that lets days pass for us and for the outside world."""

    def move(days):
        clock.move(days=days)
        minutes = round(days * 24 * 60)
        world.client.post("/world/clock", json={"advance_minutes": minutes}).raise_for_status()

    return move


def habits(world, **percent):
    world.client.put("/world/ostrel/habits", json=percent).raise_for_status()


def listed(shop, shown, **more):
    with shop.database.reading() as session:
        return left_parcels(session, ParcelWish(shown, **more), shop.now(), 50)


def deliver_all(shop):
    with shop.database.reading() as session:
        ids = [channel.id for channel in channels(session)]
    for channel_id in ids:
        while deliver_next(shop, channel_id, "test").sent:
            pass


def test_parcels_arrive_and_everybody_is_told(shop, owner, world, travel):
    assert follow_parcels(shop).asked == MANY
    assert [row.stage for row in listed(shop, ParcelList.UNDER_WAY)] == ["announced"] * MANY
    travel(1)
    assert follow_parcels(shop).moved == MANY
    travel(4)
    followed = follow_parcels(shop)
    assert (followed.asked, followed.moved) == (MANY, MANY)
    assert follow_parcels(shop, now_all=True).asked == 0, (
        "what has arrived is not asked about again"
    )
    assert [row.stage for row in listed(shop, ParcelList.DELIVERED)] == ["delivered"] * MANY
    facts = claim_facts(shop, listed(shop, ParcelList.DELIVERED)[0].id)
    stages = [event.stage for event in facts.events]
    assert stages == ["delivered", "under way", "collected", "announced"]
    assert (facts.standing, facts.days_late) == (ParcelStanding.DELIVERED, 0)
    deliver_all(shop)
    for order in world.orders("hagglet"):
        assert [parcel["stage"] for parcel in order["tracking"]] == ["delivered"]
    assert_sound(shop)


def test_what_is_said_twice_is_kept_once(shop, world, travel):
    travel(1)
    follow_parcels(shop)
    parcel = listed(shop, ParcelList.UNDER_WAY)[0].id
    before = [event.id for event in claim_facts(shop, parcel).events]
    assert follow_parcels(shop, now_all=True).moved == 0
    assert [event.id for event in claim_facts(shop, parcel).events] == before


def test_a_parcel_that_left_long_ago_is_not_asked_about_any_more(shop, clock):
    clock.move(days=91)
    assert follow_parcels(shop, now_all=True).asked == 0


def test_a_parcel_is_asked_about_again_after_ten_minutes(shop, clock):
    assert follow_parcels(shop).asked == MANY
    assert follow_parcels(shop).asked == 0
    clock.move(minutes=11)
    assert follow_parcels(shop).asked == MANY


def test_a_lost_parcel_is_late_then_missing_then_lost_and_claimed(shop, owner, world, travel):
    habits(world, lost_percent=100)
    seen = []
    for days in (2, 3, 4, 12):
        travel(days)
        follow_parcels(shop, now_all=True)
        seen += [
            str(one)
            for one in ParcelList
            if one != ParcelList.LOOK and len(listed(shop, one)) == MANY
        ]
    assert seen == ["under way", "late", "missing", "lost"]
    assert len(listed(shop, ParcelList.LOOK)) == MANY
    with shop.database.reading() as session:
        assert count_by_list(session, shop.now())[ParcelList.LOST] == MANY
    parcel = listed(shop, ParcelList.LOST)[0].id
    with pytest.raises(Refused, match="was not made"):
        note_claim(shop, owner, parcel, Claim(ClaimState.PAID, 500))
    for _ in range(2):
        note_claim(shop, owner, parcel, Claim(ClaimState.MADE, note="by letter"))
    assert len(listed(shop, ParcelList.LOOK)) == MANY - 1
    note_claim(shop, owner, parcel, Claim(ClaimState.PAID, 1_690))
    facts = claim_facts(shop, parcel)
    assert (facts.parcel.claim_amount, facts.goods_value) == (1_690, 1_690)
    assert facts.goods[0].sku == "PT-14"
    (row,) = listed(shop, ParcelList.CLAIMS)
    assert row.claim_state == "paid"
    file = b"".join(parcels_file(shop, ParcelWish(ParcelList.LOST))).decode()
    assert file.count("1 x PT-14") == MANY
    note_claim(shop, owner, parcel, Claim(ClaimState.NONE))
    assert listed(shop, ParcelList.CLAIMS) == []
    assert_sound(shop)


def test_a_late_parcel_arrives_and_its_days_are_counted(shop, world, travel):
    habits(world, late_percent=100)
    travel(4)
    follow_parcels(shop)
    assert len(listed(shop, ParcelList.LATE)) == MANY
    assert {row.stage for row in listed(shop, ParcelList.LATE)} == {"delayed"}
    travel(6)
    follow_parcels(shop)
    for row in listed(shop, ParcelList.DELIVERED):
        assert 2 <= claim_facts(shop, row.id).days_late <= 5
    assert listed(shop, ParcelList.LOOK) == [], "what has arrived needs nobody"


def test_customers_are_mailed_once_of_what_arrives_and_of_what_does_not(
    shop, owner, world, worlds, travel
):
    worlds[0].present.open_mailroom()
    room = world.client.get("/world").json()["mailroom"]
    server = {"host": room["host"], "port": room["port"], "security": "none"}
    server |= {"login": room["login"], "sender": "orders@quillmoss.example"}
    change_mail_server(shop, owner, server, room["token"])
    for event in (MailEvent.DELIVERED, MailEvent.LATE):
        text = "{% for one in parcels %}{{ one.tracking_number }}{% endfor %}"
        save_mail_text(shop, owner, MailText(f"On {event}", event, "x", text, automatic=True))
    with shop.database.writing() as session:
        for channel in channels(session):
            channel.order_policy = {**channel.order_policy, "mails": ["delivered", "late"]}
    habits(world, late_percent=100)
    for days in (4, 1, 6):
        travel(days)
        follow_parcels(shop, now_all=True)
        follow_parcels(shop, now_all=True)
    with shop.database.reading() as session:
        mails = mail_page(session)
    found = [(mail.event, mail.order) for mail in mails if mail.event != "shipped"]
    assert sorted(event for event, _ in found) == ["delivered"] * MANY + ["late"] * MANY
    assert len(set(found)) == 2 * MANY


@pytest.mark.parametrize("kind", ["flaky", "lost answers", "slow", "throttled", "down"])
def test_bad_weather_loses_nothing(shop, world, travel, kind):
    travel(5)
    world.weather("ostrel", kind, seed=3)
    first = follow_parcels(shop)
    assert first.asked in (0, MANY)
    assert first.asked or "Ostrel Post" in first.trouble[0]
    world.weather("ostrel", "calm")
    follow_parcels(shop, now_all=True)
    assert len(listed(shop, ParcelList.DELIVERED)) == MANY


def test_what_a_carrier_charges_is_taken_over_once_its_bill_is_there(shop, owner, world, travel):
    habits(world, reweighed_percent=100)
    make_manifest(shop, owner, "ostrel", "millrace")
    assert follow_parcels(shop).billed == 0
    assert [row.charged for row in listed(shop, ParcelList.UNDER_WAY)] == [None] * MANY
    travel(1)
    assert follow_parcels(shop).billed == 1
    rows = listed(shop, ParcelList.CHARGED)
    assert [(row.charged - row.price, row.charge_reason) for row in rows] == [
        (60, "one kilogram more than said")
    ] * MANY
    assert follow_parcels(shop, now_all=True).billed == 0


def test_lists_go_on_where_they_ended_and_keep_to_a_carrier(shop):
    ids = [row.id for row in listed(shop, ParcelList.UNDER_WAY)]
    assert ids == sorted(ids, reverse=True)
    assert [row.id for row in listed(shop, ParcelList.UNDER_WAY, before_id=ids[0])] == ids[1:]
    assert listed(shop, ParcelList.UNDER_WAY, carrier="merrowline") == []
    with pytest.raises(NotFound):
        claim_facts(shop, 999)


def test_one_parcel_is_followed_with_as_many_queries_as_many(shop, travel, count_queries):
    travel(1)
    with count_queries(shop.database) as many:
        assert follow_parcels(shop).moved == MANY
    with shop.database.writing() as session:
        for row in listed(shop, ParcelList.UNDER_WAY)[1:]:
            parcel_by_id(session, row.id).stage = "delivered"
    travel(4)
    with count_queries(shop.database) as one:
        assert follow_parcels(shop).moved == 1
    assert len(one) >= len(many)


@settings(
    max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    st.sampled_from(list(ParcelStage)),
    st.one_of(st.none(), st.integers(0, 12)),
    st.one_of(st.none(), st.integers(-8, 8)),
)
def test_lists_and_rule_agree(shop, stage, silent, promised):
    now = shop.now()
    with shop.database.writing() as session:
        parcel = parcel_by_id(session, 1)
        parcel.stage = str(stage)
        parcel.stage_at = None if silent is None else now - timedelta(days=silent, minutes=1)
        day = None if promised is None else (now + timedelta(days=promised)).date()
        parcel.arrives_on = day.isoformat() if day else None
        session.flush()
        wanted = parcel_standing(tracked(parcel), now)
        lists = [
            str(one)
            for one in ParcelList
            if one not in (ParcelList.LOOK, ParcelList.CHARGED, ParcelList.CLAIMS)
            and _is_in(session, one, now)
        ]
    assert lists == [str(wanted)]


def _is_in(session: Session, shown: ParcelList, now: datetime) -> bool:
    return 1 in {row.id for row in left_parcels(session, ParcelWish(shown), now, 50)}


def test_an_order_tells_in_its_log_how_far_its_parcels_are(shop, travel):
    travel(5)
    follow_parcels(shop)
    with shop.database.reading() as session:
        order = order_by_number(session, listed(shop, ParcelList.DELIVERED)[0].order)
        words = [entry.deed for entry in history(session, "order", order.id)]
    assert any(word.endswith("delivered") for word in words)
