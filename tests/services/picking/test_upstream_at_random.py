"""Lets a channel change one order again and again while people work on it and choose, in random order:
whatever happens, the money adds up, the books are sound, and the same news change nothing."""

import random
from dataclasses import replace
from datetime import datetime

import pytest

from relvan.core.orders.intake import IncomingLine, IncomingOrder
from relvan.core.refusal import Refused
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.line_changes import take_off
from relvan.services.orders.notices import open_notices
from relvan.services.orders.release import release_orders
from relvan.services.orders.returns import (
    ArrivedGoods,
    can_come_back,
    expect_return,
    receive_return,
    refund_return,
)
from relvan.services.orders.take import take_channel_orders
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.late_changes import decide_late_change
from relvan.services.picking.lists import make_pick_list, record_pick
from relvan.services.picking.undo import undo_pick
from relvan.services.setup.firm import change_firm
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.store.dispatch import parcels_of
from relvan.store.invoices import charged_by_invoices, payments_of
from relvan.store.notices import decided_units
from relvan.store.orders import lines_of, order_by_number
from relvan.store.tables import Carrier
from tests.house import assert_sound, orders, receive
from tests.steps.books import FIRM
from tests.steps.orders import ADA
from tests.steps.sale import picks_of, shipments

PLACED = datetime.fromisoformat("2026-11-20T09:00:00+00:00")
SKUS = ("PT-14", "PT-18")
STEPS = 30


class Bought:
    """An order of a channel, with what its buyer wants of it now, and those who work on it."""

    def __init__(self, shop, owner, dice):
        self.shop, self.owner, self.dice = shop, owner, dice
        self.units, self.address, self.cancelled, self.mark = [3, 2], ADA, False, 0
        self.pick_lists = []
        self.tell()
        (self.number,) = [row.number for row in orders(shop) if row.channel_number == "HG-1"]

    def tell(self):
        """Tells the order as it is on its channel now."""
        self.mark += 1
        lines = tuple(
            IncomingLine(str(at), sku, "Pot", units, 1690)
            for at, (sku, units) in enumerate(zip(SKUS, self.units, strict=True), 1)
        )
        told = IncomingOrder(
            "HG-1",
            PLACED,
            "EUR",
            lines,
            ship_to=self.address,
            delivery_price=490,
            paid=True,
            cancelled=self.cancelled,
            changed=self.mark,
        )
        take_channel_orders(self.shop, 1, [told])

    # what the buyer does

    def want_less(self):
        at = self.dice.randrange(2)
        self.units[at] = max(0, self.units[at] - 1)
        self.tell()

    def move(self):
        self.address = replace(ADA, street=f"{self.mark} Mill Lane")
        self.tell()

    def cancel(self):
        self.cancelled = self.cancelled or self.dice.random() < 0.3
        self.tell()

    # what people do

    def release(self):
        release_orders(self.shop, self.owner, [self.number])

    def list_picks(self):
        if waiting := [row.id for row in shipments(self.shop, "to pick")]:
            self.pick_lists.append(make_pick_list(self.shop, self.owner, waiting[:1]))

    def pick(self):
        for listed in self.pick_lists[-1:]:
            for pick in picks_of(self.shop, listed):
                if pick.picked is None:
                    record_pick(self.shop, self.owner, listed, pick.id, pick.quantity)

    def undo(self):
        for listed in self.pick_lists[-1:]:
            for pick in picks_of(self.shop, listed)[:1]:
                undo_pick(self.shop, self.owner, listed, pick.id)

    def send(self):
        for row in shipments(self.shop, "to pack")[:1]:
            add_parcel(self.shop, self.owner, row.id, [], 900)
        for row in shipments(self.shop, "to ship")[:1]:
            with self.shop.database.writing() as session:
                for parcel in parcels_of(session, row.id):
                    parcel.carrier_id = session.get_one(Carrier, 1).id
                    parcel.tracking_number, parcel.label_key = f"OP-{parcel.id}", f"k{parcel.id}"
            dispatch_shipments(self.shop, self.owner, [row.id])

    def invoice(self):
        invoice_orders(self.shop, self.owner, [self.number])

    def take_off(self):
        take_off(self.shop, self.owner, self.number, self.dice.randint(1, 2), 1)

    def give_back(self):
        with self.shop.database.reading() as session:
            order = order_by_number(session, self.number)
            back = [(line.position, units) for line, units in can_come_back(session, order)]
        for at, units in back[:1]:
            made = expect_return(self.shop, self.owner, self.number, {at: units}, "broken")
            receive_return(self.shop, self.owner, made, [ArrivedGoods(at, units)], "millrace")
            refund_return(self.shop, self.owner, made)

    def choose(self):
        """Chooses anything that is offered about anything that lies before the team."""
        with self.shop.database.reading() as session:
            found = open_notices(session, order_by_number(session, self.number))
            offered = [(one.notice.id, choice) for one in found for choice in one.choices]
        if offered:
            decide_late_change(self.shop, self.owner, self.number, *self.dice.choice(offered))

    DEEDS = (want_less, move, cancel, release, list_picks, pick, pick, undo, send, send, invoice)
    DEEDS += (take_off, give_back, choose, choose, choose)

    def state(self):
        """Returns all that news could change of the order."""
        with self.shop.database.reading() as session:
            order = order_by_number(session, self.number)
            lines = lines_of(session, [order.id])[order.id]
            notices = [
                (one.notice.kind, one.notice.line, one.notice.units, one.choices)
                for one in open_notices(session, order)
            ]
            return (
                (order.tray, order.words, order.total, order.credited, order.paid, order.ship_to),
                [(line.quantity, line.taken_off, line.picked, line.shipped) for line in lines],
                notices,
            )

    def check(self):
        """Checks what must hold whatever happened."""
        with self.shop.database.reading() as session:
            order = order_by_number(session, self.number)
            lines = lines_of(session, [order.id])[order.id]
            paid = sum(row.amount for row in payments_of(session, order.id))
            charged = charged_by_invoices(session, [order.id]).get(order.id, 0)
            decided = decided_units(session, order.id)
            open_lines = {one.notice.line for one in open_notices(session, order)}
            assert order.paid == paid >= 0
            assert 0 <= order.credited <= order.total
            assert charged <= order.total
            if order.cancelled_at and not charged and not any(line.shipped for line in lines):
                assert (order.total, order.paid) == (order.credited, 0)
            if order.cancelled_at is None and not self.cancelled:
                for line, told in zip(lines, self.units, strict=True):
                    more = line.quantity - told - decided.get(line.position, 0)
                    assert more <= 0 or line.position in open_lines


@pytest.mark.parametrize("seed", range(12))
def test_whatever_happens_the_money_adds_up_and_old_news_change_nothing(two_pots, owner, seed):
    dice = random.Random(seed)
    for sku in SKUS:
        receive(two_pots, owner, sku, 5, "yard")
    change_firm(two_pots, owner, FIRM)
    bought = Bought(two_pots, owner, dice)
    done = []
    for _ in range(STEPS):
        deed = dice.choice(Bought.DEEDS)
        try:
            deed(bought)
        except Refused as refused:
            done.append(f"{deed.__name__}: {refused.first.message}")
        else:
            done.append(deed.__name__)
        bought.check()
    before = bought.state()
    bought.tell()
    assert bought.state() == before, done
    assert_sound(two_pots)
