"""Tests that what a deed on orders is foreseen to do is what it does, for every deed, in every
state that orders come into."""

from datetime import timedelta

import pytest
from hypothesis import strategies as st
from hypothesis.stateful import invariant, precondition, rule

from relvan.core.mail.texts import MailEvent, MailText
from relvan.core.orders.deeds import DeedOutcome, OrderDeed
from relvan.core.orders.intake import Address, IncomingLine
from relvan.services.mail.texts import save_mail_text
from relvan.services.mail.write import mail_orders
from relvan.services.orders.aside import assign_orders, set_aside, tag_orders, take_back_aside
from relvan.services.orders.cancel import cancel_orders, move_orders, take_back_shipments
from relvan.services.orders.foresee import foresee_orders
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.release import release_orders, release_parts
from relvan.services.orders.reserve import reserve_anywhere, reserve_orders, unreserve_orders
from relvan.services.orders.take import take_manual_order
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.setup.firm import change_firm
from relvan.services.setup.mail import change_mail_server
from relvan.store.dispatch import pick_rows
from relvan.store.orders import lines_of, order_by_number, shipment_rows, shipments_of
from tests.house import add_pot, assert_sound, receive
from tests.machines import OnACopy, run_on_copies
from tests.snapshots import built_once
from tests.steps.books import FIRM

TO = Address("Ada Fennimore", "12 Larkspur Row", "Tarnhollow", "4821", "NL", "ada@example.com")
# sending to a centre is left out: what comes of it depends on what that centre has, see its own tests
CARRY_OUT = {
    OrderDeed.RELEASE: release_orders,
    OrderDeed.RESERVE: reserve_orders,
    OrderDeed.RESERVE_ANYWHERE: reserve_anywhere,
    OrderDeed.RELEASE_PART: release_parts,
    OrderDeed.TAKE_BACK: take_back_shipments,
    OrderDeed.UNRESERVE: unreserve_orders,
    OrderDeed.CANCEL: cancel_orders,
    OrderDeed.MOVE: lambda place, owner, numbers: move_orders(place, owner, numbers, "inbox"),
    OrderDeed.SET_ASIDE: lambda place, owner, numbers: set_aside(
        place, owner, numbers, "waits", place.local_now().date() + timedelta(days=2)
    ),
    OrderDeed.BRING_BACK: take_back_aside,
    OrderDeed.TAG: lambda place, owner, numbers: tag_orders(place, owner, numbers, "gift"),
    OrderDeed.UNTAG: lambda place, owner, numbers: tag_orders(
        place, owner, numbers, "gift", off=True
    ),
    OrderDeed.INVOICE: invoice_orders,
    OrderDeed.ASSIGN: lambda place, owner, numbers: assign_orders(place, owner, numbers, ""),
    OrderDeed.MAIL: lambda place, owner, numbers: mail_orders(place, owner, numbers, 1),
}
# what these change is not how an order stands, or they do the same again
NOTED = (
    OrderDeed.MOVE,
    OrderDeed.SET_ASIDE,
    OrderDeed.BRING_BACK,
    OrderDeed.TAG,
    OrderDeed.UNTAG,
    OrderDeed.ASSIGN,
    OrderDeed.MAIL,
)


@built_once
def desk(workplace, owner):
    """Builds two pots, a few of each in two warehouses; orders are taken by hand."""
    change_firm(workplace, owner, FIRM)
    server = {"host": "127.0.0.1", "port": 9, "security": "none", "sender": "a@b.example"}
    change_mail_server(workplace, owner, server)
    save_mail_text(workplace, owner, MailText("x", MailEvent.BY_HAND, "x", "x"))
    add_pot(workplace, owner, "PT-14", units=4)
    add_pot(workplace, owner, "PT-18", units=2, warehouse="yard")
    receive(workplace, owner, "PT-14", 1, "yard")
    return workplace


def take(place, owner, *lines):
    wanted = tuple(IncomingLine("", sku, sku, units, 1690) for sku, units in lines)
    return take_manual_order(place, owner, wanted, TO, paid=False)


def standing(place, number):
    """Returns all that a deed could change of an order."""
    with place.database.reading() as session:
        order = order_by_number(session, number)
        lines = [(line.picked, line.shipped) for line in lines_of(session, [order.id])[order.id]]
        states = [
            (shipment.number, shipment.state)
            for shipment in shipments_of(session, [order.id])[order.id]
        ]
        return order.tray, order.words, order.fact_reserved, order.cancelled_at, lines, states


class Desk(OnACopy):
    """Orders taken, and deeds on several of them at once; some are picked in between."""

    def begin(self):
        self.numbers = []

    @precondition(lambda self: len(self.numbers) < 5)
    @rule(pots=st.integers(0, 4), others=st.integers(0, 3))
    def take(self, pots, others):
        lines = [(sku, units) for sku, units in (("PT-14", pots), ("PT-18", others)) if units]
        if lines:
            self.numbers.append(take(self.place, self.owner, *lines))

    @precondition(lambda self: self.numbers)
    @rule(data=st.data(), deed=st.sampled_from(tuple(CARRY_OUT)))
    def do(self, data, deed):
        chosen = data.draw(
            st.lists(
                st.sampled_from([*self.numbers, "O-9999"]), min_size=1, max_size=4, unique=True
            )
        )
        foreseen = foresee_orders(self.place, deed, chosen)
        before = {number: standing(self.place, number) for number in chosen if number != "O-9999"}
        verdicts = CARRY_OUT[deed](self.place, self.owner, chosen)
        assert [one.number for one in foreseen] == [verdict.subject for verdict in verdicts]
        for one, verdict in zip(foreseen, verdicts, strict=True):
            outcome = one.answer.outcome
            assert verdict.ok == (outcome != DeedOutcome.REFUSED), (deed, one, verdict)
            assert verdict.code == (one.answer.code if outcome == DeedOutcome.REFUSED else "")
            if one.number in before and deed not in (
                *NOTED,
                OrderDeed.CANCEL,
            ):  # cancelling serves who waits
                changed = standing(self.place, one.number) != before[one.number]
                assert changed == (outcome == DeedOutcome.DOES), (deed, one, before[one.number])

    @precondition(lambda self: shipment_rows_of(self.place, "to pick"))
    @rule(data=st.data())
    def pick_some(self, data):
        by_place = {}
        for row in shipment_rows_of(self.place, "to pick"):
            by_place.setdefault(row.warehouse, []).append(row.id)
        for ids in by_place.values():
            pick_list = make_pick_list(self.place, self.owner, ids)
            with self.place.database.reading() as session:
                picks = pick_rows(session, pick_list)
            for pick in picks[: data.draw(st.integers(0, len(picks)))]:
                record_pick(
                    self.place,
                    self.owner,
                    pick_list,
                    pick.id,
                    data.draw(st.integers(0, pick.quantity)),
                )

    @invariant()
    def all_is_accounted_for(self):
        if hasattr(self, "place"):
            assert_sound(self.place)


def shipment_rows_of(place, state):
    with place.database.reading() as session:
        return shipment_rows(session, states=[state])


def test_what_is_foreseen_is_what_is_done(desk, owner, houses):
    run_on_copies(Desk, desk, owner, houses, runs=12, steps=18)


def test_scarce_stock_is_foreseen_for_the_first_named_as_it_is_reserved(desk, owner):
    numbers = [take(desk, owner, ("PT-14", 5)) for _ in range(3)]
    cancel_orders(desk, owner, numbers[:1])  # serves the second, which waits the longest
    assert [one.answer.code for one in foresee_orders(desk, OrderDeed.RESERVE, numbers)] == [
        "cancelled",
        "already",
        "short",
    ]


@pytest.mark.parametrize("orders", [1, 30])
def test_many_orders_are_foreseen_by_as_many_queries_as_one(desk, owner, count_queries, orders):
    numbers = [take(desk, owner, ("PT-18", 1)) for _ in range(orders)]
    with count_queries(desk.database) as seen:
        foresee_orders(desk, OrderDeed.RELEASE, numbers)
    assert len(seen) <= 7


def test_an_order_waits_for_stock_in_whatever_tray_it_lies(desk, owner):
    number = take(desk, owner, ("PT-18", 3))
    move_orders(desk, owner, [number], "closed")
    receive(desk, owner, "PT-18", 1, "yard")
    assert standing(desk, number)[2] == "all"


def test_an_order_moved_to_the_warehouses_tray_by_hand_can_still_be_released(desk, owner):
    number = take(desk, owner, ("PT-14", 1))
    move_orders(desk, owner, [number], "floor")
    assert foresee_orders(desk, OrderDeed.RELEASE, [number])[0].answer.does
    assert [verdict.message for verdict in release_orders(desk, owner, [number])] == ["S-1001"]
