"""Tests pick lists of every kind, drafts that are changed, confirmed and cancelled, and their walks."""

from datetime import timedelta

import pytest

from relvan.core.picking.lists import ListSort, RoundKind
from relvan.core.refusal import NotAllowed, NotFound, Refused
from relvan.services.check import check
from relvan.services.orders.release import release_orders
from relvan.services.picking.drafts import (
    ListChange,
    ProposalRule,
    cancel_list,
    change_list,
    confirm_list,
    propose_lists,
)
from relvan.services.picking.lists import (
    ListWish,
    make_pick_list,
    make_pick_lists,
    record_pick,
)
from relvan.services.picking.routes import route_of_list
from relvan.services.setup.bins import add_bins
from relvan.services.setup.floor import floor_of, set_bin_purpose, set_plan
from relvan.store.dispatch import pick_list_rows, pick_rows
from relvan.store.orders import lines_of, order_by_number, shipment_rows
from relvan.store.stock import warehouses
from relvan.store.tables import Order, Pick, ShipmentLine
from tests.house import add_pot, assert_sound, receive
from tests.snapshots import built_once
from tests.steps.orders import take

DRAFT = ListWish(draft=True)


@built_once
def desk(workplace, owner):
    """Builds three orders of two kinds of pots that wait to be picked; PT-20 lies in two bins."""
    add_bins(workplace, owner, "millrace", ["A-01", "A-09", "C-04", "C-10"])
    add_pot(workplace, owner, "PT-14", units=0)
    add_pot(workplace, owner, "PT-20", units=0)
    receive(workplace, owner, "PT-14", 9, bin="C-10")
    receive(workplace, owner, "PT-20", 8, bin="A-01")
    receive(workplace, owner, "PT-20", 4, bin="C-04")
    numbers = [
        take(workplace, owner, ("PT-14", 2), ("PT-20", 1)),
        take(workplace, owner, ("PT-20", 2)),
        take(workplace, owner, ("PT-14", 1)),
    ]
    release_orders(workplace, owner, numbers)
    return workplace


def waiting(desk, state="to pick"):
    with desk.database.reading() as session:
        return sorted(row.id for row in shipment_rows(session, states=[state]))


def picks(desk, list_id):
    with desk.database.reading() as session:
        return pick_rows(session, list_id)


def state_of(desk, list_id):
    with desk.database.reading() as session:
        (row,) = pick_list_rows(session, pick_list_id=list_id)
        return row.state


def test_a_list_with_totes_has_one_for_each_order(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk), ListWish(RoundKind.TOTES))
    totes = {row.shipment_id: row.tote for row in picks(desk, made)}
    assert sorted(totes.values()) == [1, 2, 3]
    assert picks(desk, made)[0].tote == 1


def test_a_list_for_one_order_takes_one(desk, owner):
    one = ListWish(RoundKind.ONE)
    assert len(make_pick_lists(desk, owner, waiting(desk), one)) == 3
    with pytest.raises(Refused) as refused:
        make_pick_list(desk, owner, [1, 2], one)
    assert refused.value.first.field == "kind"


@pytest.mark.parametrize("sort", list(ListSort))
def test_a_list_is_sorted_as_it_is_wanted(desk, owner, sort):
    made = make_pick_list(desk, owner, waiting(desk), ListWish(sort=sort))
    rows = picks(desk, made)
    keys = {ListSort.SKU: [row.sku for row in rows], ListSort.ORDER: [row.order for row in rows]}
    wanted = keys.get(sort, [row.bin for row in rows])
    assert wanted == sorted(wanted)
    assert len(rows) == 4


def test_nothing_is_picked_from_a_draft_until_it_is_confirmed(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk), DRAFT)
    first = picks(desk, made)[0]
    with pytest.raises(Refused) as refused:
        record_pick(desk, owner, made, first.id, first.quantity)
    assert refused.value.first.code == "draft"
    confirm_list(desk, owner, made)
    confirm_list(desk, owner, made)
    record_pick(desk, owner, made, first.id, first.quantity)
    assert state_of(desk, made) == "open"
    with pytest.raises(Refused) as begun:
        cancel_list(desk, owner, made)
    assert begun.value.first.code == "begun"


def test_what_is_taken_off_a_draft_stays_promised_and_can_be_released_again(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk), DRAFT)
    row = next(row for row in picks(desk, made) if row.sku == "PT-14" and row.quantity == 2)
    change_list(desk, owner, made, ListChange(units={row.id: 1}))
    assert {one.id: one.quantity for one in picks(desk, made)}[row.id] == 1
    assert_sound(desk)
    (again,) = release_orders(desk, owner, [row.order])
    assert again.ok
    assert again.message
    assert len(waiting(desk)) == 1
    assert_sound(desk)


def test_a_shipment_without_picks_is_to_be_picked_again_and_the_others_go_on(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk), DRAFT)
    rows = picks(desk, made)
    gone = rows[0].shipment_id
    units = {row.id: 0 for row in rows if row.shipment_id == gone}
    change_list(desk, owner, made, ListChange(name=" Morning ", person="", units=units))
    assert waiting(desk) == [gone]
    assert len(picks(desk, made)) == 4 - len(units)
    with desk.database.reading() as session:
        order = order_by_number(session, rows[0].order)
        assert all(line.quantity for line in lines_of(session, [order.id])[order.id])
        (row,) = pick_list_rows(session, pick_list_id=made)
        assert (row.name, row.login) == ("Morning", "")
    change_list(desk, owner, made, ListChange(units={row.id: 0 for row in picks(desk, made)}))
    assert state_of(desk, made) == "cancelled"
    assert len(waiting(desk)) == 3
    assert_sound(desk)


def test_one_of_two_picks_of_a_shipment_is_removed(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk), DRAFT)
    first = next(row for row in picks(desk, made) if row.sku == "PT-20" and row.quantity == 1)
    change_list(desk, owner, made, ListChange(units={first.id: 0}))
    assert len(picks(desk, made)) == 3
    assert waiting(desk) == []
    (again,) = release_orders(desk, owner, [first.order])
    assert again.message
    assert_sound(desk)


def test_a_cancelled_list_gives_everything_back(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk))
    before = [(row.sku, row.bin, row.quantity) for row in picks(desk, made)]
    cancel_list(desk, owner, made)
    cancel_list(desk, owner, made)
    assert (state_of(desk, made), len(waiting(desk))) == ("cancelled", 3)
    again = make_pick_list(desk, owner, waiting(desk))
    assert [(row.sku, row.bin, row.quantity) for row in picks(desk, again)] == before
    assert_sound(desk)


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (ListChange(units={1: -1}), "out-of-range"),
        (ListChange(units={1: 99}), "out-of-range"),
        (ListChange(units={99: 1}), "not-found"),
        (ListChange(person="nobody"), "not-found"),
    ],
)
def test_a_change_that_cannot_be_leaves_the_draft_as_it_is(desk, owner, change, code):
    made = make_pick_list(desk, owner, waiting(desk), DRAFT)
    before = picks(desk, made)
    with pytest.raises((Refused, NotFound)) as refused:
        change_list(desk, owner, made, change)
    assert refused.value.first.code == code
    assert picks(desk, made) == before


def test_units_of_a_confirmed_list_are_not_changed(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk))
    with pytest.raises(Refused) as refused:
        change_list(desk, owner, made, ListChange(units={picks(desk, made)[0].id: 0}))
    assert refused.value.first.code == "wrong-state"


@pytest.mark.parametrize(
    ("rule", "orders"),
    [
        (ProposalRule(), 3),
        (ProposalRule(single_line=True), 2),
        (ProposalRule(most=1), 1),
        (ProposalRule(warehouse="millrace", single_line=True, most=1), 1),
        (ProposalRule(zone="a-c"), 3),
    ],
)
def test_lists_are_proposed_as_drafts_by_a_rule(desk, owner, rule, orders):
    (made,) = propose_lists(desk, owner, rule, ListWish())
    assert state_of(desk, made) == "draft"
    assert len({row.shipment_id for row in picks(desk, made)}) == orders


@pytest.mark.parametrize(
    "rule",
    [
        ProposalRule(warehouse="yard"),
        ProposalRule(channel="hagglet"),
        ProposalRule(most=0),
        ProposalRule(most=61),
        ProposalRule(zone="Z"),
        ProposalRule(zone="Z-A"),
        ProposalRule(cut_off=True),
    ],
)
def test_what_no_shipment_fits_makes_no_list(desk, owner, rule):
    with pytest.raises(Refused):
        propose_lists(desk, owner, rule, ListWish())
    today = desk.local_now().date()
    with pytest.raises(Refused):
        propose_lists(desk, owner, ProposalRule(promised_by=today + timedelta(9)), ListWish())


def test_a_list_follows_the_plan_and_says_how_long_the_walk_is(desk, owner):
    set_plan(desk, owner, "millrace", {"aisles": 3, "bays": 10, "bin_rule": "near"})
    made = make_pick_list(desk, owner, waiting(desk))
    found = route_of_list(desk, made)
    order = [at for stop in found.trip.picks for at in stop]
    assert order == sorted(order)  # the picks stand in the order of the walk
    assert found.trip.off_plan == ()
    assert found.trip.route.length_m == 2 * 5 * 2 + 2 * 10
    assert found.trip.saves_m >= 0
    assert {row.bin for row in found.picks} == {"C-04", "C-10"}


def test_without_a_plan_there_is_no_walk_and_the_list_is_made_all_the_same(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk))
    assert route_of_list(desk, made).trip is None
    state = floor_of(desk, "millrace")
    assert not state.is_kept
    assert state.plan.names == ("A", "B", "C")


def test_goods_of_a_reserve_bin_stay_there_while_others_have_them(desk, owner):
    set_bin_purpose(desk, owner, "millrace", "C-04", "reserve", 40)
    made = make_pick_list(desk, owner, waiting(desk))
    assert {row.bin for row in picks(desk, made) if row.sku == "PT-20"} == {"A-01"}
    with pytest.raises(Refused):
        set_bin_purpose(desk, owner, "millrace", "C-04", "attic")
    with pytest.raises(Refused):
        set_bin_purpose(desk, owner, "millrace", "C-04", capacity=-1)


def test_what_was_picked_is_counted_by_bin(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk))
    for row in picks(desk, made):
        record_pick(desk, owner, made, row.id, row.quantity)
    heat = {one.code: one.picks for one in floor_of(desk, "millrace").heat}
    assert heat["C-10"] == 2
    assert sum(heat.values()) == 4


def test_only_who_sets_up_changes_the_plan(desk, picker):
    with pytest.raises(NotAllowed):
        set_plan(desk, picker, "millrace", {"aisles": 3, "bays": 10})


def test_what_does_not_add_up_on_a_list_is_found_by_the_check(desk, owner):
    made = make_pick_list(desk, owner, waiting(desk))
    assert_sound(desk)
    with desk.database.writing() as session:
        pick = session.get_one(Pick, picks(desk, made)[0].id)
        pick.quantity += 1
        session.get_one(ShipmentLine, pick.shipment_line_id).scanned = 9
    broken = {breach.invariant for breach in check(desk.database)}
    assert broken == {
        "the open picks of a shipment ask for what is still to be picked",
        "no more is scanned at the bench than was picked",
    }


def test_what_cannot_wait_for_the_pick_up_after_the_next_is_proposed(desk, owner):
    with desk.database.writing() as session:
        for warehouse in warehouses(session):
            warehouse.pick_up = {"days": [0, 3], "cut_off": "16:00"}
        orders = session.get_one(Order, 1), session.get_one(Order, 2)
        today = desk.local_now().date()
        orders[0].promised_on = (today + timedelta(days=1)).isoformat()
        orders[1].promised_on = (today + timedelta(days=20)).isoformat()
    (made,) = propose_lists(desk, owner, ProposalRule(cut_off=True), ListWish())
    assert {row.order for row in picks(desk, made)} == {"O-1001"}
