"""Tests cancelling and taking back in the middle of the work on the floor: stock comes free once,
walks go on."""

import pytest
from hypothesis import strategies as st
from hypothesis.stateful import invariant, precondition, rule

from relvan.core.refusal import Refused
from relvan.services.listings.availability import availability
from relvan.services.orders.cancel import cancel_orders, take_back_shipments
from relvan.services.orders.release import release_orders
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.store.dispatch import pick_list_rows
from relvan.store.orders import order_by_number, shipments_of
from tests.house import assert_sound
from tests.machines import OnACopy, run_on_copies
from tests.steps.orders import one, take
from tests.steps.sale import picks_of, shipments


def free(workplace, sku="PT-14"):
    return availability(workplace, sku).free


def walk_state(workplace, pick_list):
    with workplace.database.reading() as session:
        return pick_list_rows(session, pick_list_id=pick_list)[0].state


def on_the_floor(workplace, owner, *numbers):
    """Release orders and plan one walk for them."""
    assert all(verdict.ok for verdict in release_orders(workplace, owner, numbers))
    return make_pick_list(workplace, owner, [row.id for row in shipments(workplace, "to pick")])


def test_an_order_that_is_cancelled_leaves_the_walk_and_the_walk_goes_on(desk, owner):
    first, second = take(desk, owner, ("PT-14", 2)), take(desk, owner, ("PT-14", 1))
    walk = on_the_floor(desk, owner, first, second)
    assert cancel_orders(desk, owner, [first])[0].ok
    assert (one(desk, first).tray, free(desk)) == ("cancelled", 4)
    (pick,) = picks_of(desk, walk)
    assert record_pick(desk, owner, walk, pick.id, 1).list_done
    assert walk_state(desk, walk) == "done"
    assert_sound(desk)


def test_a_walk_whose_last_order_is_cancelled_is_cancelled_with_it(desk, owner):
    number = take(desk, owner, ("PT-14", 2))
    walk = on_the_floor(desk, owner, number)
    assert cancel_orders(desk, owner, [number])[0].ok
    assert (walk_state(desk, walk), picks_of(desk, walk), free(desk)) == ("cancelled", [], 5)
    assert_sound(desk)


def test_a_walk_that_was_only_waiting_for_the_cancelled_order_is_done(desk, owner):
    first, second = take(desk, owner, ("PT-14", 1)), take(desk, owner, ("PT-14", 2))
    walk = on_the_floor(desk, owner, first, second)
    mine = next(pick for pick in picks_of(desk, walk) if pick.quantity == 1)
    assert not record_pick(desk, owner, walk, mine.id, 1).list_done
    assert cancel_orders(desk, owner, [second])[0].ok
    assert walk_state(desk, walk) == "done"


def test_what_has_been_picked_is_not_cancelled_and_says_what_to_do(desk, owner):
    number = take(desk, owner, ("PT-14", 2))
    walk = on_the_floor(desk, owner, number)
    record_pick(desk, owner, walk, picks_of(desk, walk)[0].id, 1)
    for deed in (cancel_orders, take_back_shipments):
        (verdict,) = deed(desk, owner, [number])
        assert (verdict.ok, verdict.code) == (False, "under-way")
        assert verdict.fix
    assert_sound(desk)


def test_a_release_taken_back_from_a_walk_keeps_its_stock_and_can_be_released_again(desk, owner):
    number = take(desk, owner, ("PT-14", 2))
    walk = on_the_floor(desk, owner, number)
    assert take_back_shipments(desk, owner, [number])[0].ok
    assert (one(desk, number).tray, walk_state(desk, walk), free(desk)) == ("inbox", "cancelled", 3)
    again = on_the_floor(desk, owner, number)
    assert [pick.quantity for pick in picks_of(desk, again)] == [2]
    assert_sound(desk)


def test_among_many_each_gets_its_own_verdict(desk, owner):
    numbers = [take(desk, owner, ("PT-14", 1)) for _ in range(3)]
    on_the_floor(desk, owner, numbers[0])
    verdicts = cancel_orders(desk, owner, [*numbers, "O-9999", numbers[1]])
    assert [(v.subject, v.ok, v.code) for v in verdicts] == [
        (numbers[0], True, ""),
        (numbers[1], True, ""),
        (numbers[2], True, ""),
        ("O-9999", False, "not-found"),
        (numbers[1], True, ""),
    ]
    assert free(desk) == 5
    assert_sound(desk)


class Floor(OnACopy):
    """Orders taken, released, walked, picked, cancelled and taken back in any order; stock is
    always accounted for."""

    def begin(self):
        self.numbers, self.walks = [], []

    @rule(units=st.integers(1, 3))
    def take(self, units):
        if len(self.numbers) < 6:
            self.numbers.append(take(self.place, self.owner, ("PT-14", units)))

    def chosen(self, data):
        return data.draw(st.sampled_from(self.numbers))

    @precondition(lambda self: self.numbers)
    @rule(
        data=st.data(), deed=st.sampled_from([release_orders, cancel_orders, take_back_shipments])
    )
    def do(self, data, deed):
        deed(self.place, self.owner, [self.chosen(data)])

    @precondition(lambda self: shipments(self.place, "to pick"))
    @rule()
    def walk(self):
        self.walks.append(
            make_pick_list(
                self.place, self.owner, [row.id for row in shipments(self.place, "to pick")]
            )
        )

    @precondition(lambda self: self.walks)
    @rule(data=st.data())
    def pick(self, data):
        walk = data.draw(st.sampled_from(self.walks))
        waiting = [pick for pick in picks_of(self.place, walk) if pick.picked is None]
        if waiting:
            pick = data.draw(st.sampled_from(waiting))
            record_pick(
                self.place, self.owner, walk, pick.id, data.draw(st.integers(0, pick.quantity))
            )

    @invariant()
    def all_is_accounted_for(self):
        if not hasattr(self, "place"):
            return
        assert_sound(self.place)
        with self.place.database.reading() as session:
            for number in self.numbers:
                order = order_by_number(session, number)
                states = {
                    shipment.state for shipment in shipments_of(session, [order.id])[order.id]
                }
                if order.cancelled_at:
                    assert states <= {"cancelled"}, number


def test_whatever_is_done_on_the_floor_stock_is_accounted_for(owner, desk, houses):
    run_on_copies(Floor, desk, owner, houses, runs=8, steps=14)


def test_nothing_is_cancelled_by_a_tray_that_nobody_has(desk, owner):
    from relvan.services.orders.cancel import move_orders

    number = take(desk, owner, ("PT-14", 1))
    with pytest.raises(Refused) as refused:
        move_orders(desk, owner, [number], "cancelled")
    assert refused.value.first.field == "tray"
    assert one(desk, number).tray == "inbox"
