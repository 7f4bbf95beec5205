"""A person lets a line leave from another warehouse, as far as it is free there; who collects the tax is
said by the channel's policy."""

import pytest

from relvan.core.orders.intake import IncomingLine, IncomingOrder
from relvan.core.orders.routing_why import why_route
from relvan.core.refusal import NotFound, Refused
from relvan.services.channels.settings import change_channel
from relvan.services.orders.invoices import invoice_orders
from relvan.services.orders.release import release_orders
from relvan.services.orders.reroute import move_promise
from relvan.services.orders.take import take_channel_orders
from relvan.services.setup.firm import change_firm
from relvan.store.invoices import invoices_of_order
from relvan.store.orders import lines_of, order_by_number, reservations_of, shipment_rows
from tests.house import add_pot, assert_sound, channel_ids, connect, receive
from tests.steps.books import FIRM
from tests.steps.orders import ADA, take


@pytest.fixture
def desk(workplace, owner):
    add_pot(workplace, owner, "PT-14", units=5)
    receive(workplace, owner, "PT-14", 2, "yard")
    return workplace


def held(place, number):
    with place.database.reading() as session:
        order = order_by_number(session, number)
        (line,) = lines_of(session, [order.id])[order.id]
        found = reservations_of(session, [order.id]).get(line.id, [])
        return line.id, sorted((one.warehouse_id, one.quantity) for one in found)


def test_as_much_as_is_free_there_moves_and_the_why_says_who_chose(desk, owner):
    number = take(desk, owner, ("PT-14", 3))
    line, before = held(desk, number)
    assert before == [(1, 3)]
    assert move_promise(desk, owner, number, line, "yard", "millrace") == 2
    assert held(desk, number)[1] == [(1, 1), (2, 2)]
    with pytest.raises(Refused, match="None of PT-14 is free"):
        move_promise(desk, owner, number, line, "yard", "millrace")
    assert move_promise(desk, owner, number, line, "yard", "yard") == 0
    assert_sound(desk)
    with desk.database.reading() as session:
        order = order_by_number(session, number)
        why = why_route(order.routed, {1: "Millrace", 2: "Yard"}, [1, 2])
    assert why.steps[-1].detail == "by Owner, by hand"
    release_orders(desk, owner, [number])
    with desk.database.reading() as session:
        rows = shipment_rows(session, order_id=order.id)
        assert sorted((row.warehouse_key, row.units) for row in rows) == [
            ("millrace", 1),
            ("yard", 2),
        ]
    with pytest.raises(Refused, match="not released yet"):
        move_promise(desk, owner, number, line, "millrace", "yard")
    with pytest.raises(NotFound):
        move_promise(desk, owner, number, 99, "millrace", "yard")
    assert_sound(desk)


def test_a_channel_that_collects_the_tax_is_said_on_the_invoice(desk, owner, world):
    change_firm(desk, owner, FIRM)
    connect(desk, owner, world, "hagglet")
    change_channel(desk, owner, "hagglet", {"orders": {"collected": True}})
    line = IncomingLine("1", "PT-14", "Pot", 1, 1690)
    order = IncomingOrder("H-1", desk.now(), "EUR", (line,), ADA, paid=True, changed=1)
    (number,) = take_channel_orders(desk, channel_ids(desk)["hagglet"], [order]).values()
    invoice_orders(desk, owner, [number])
    with desk.database.reading() as session:
        found = order_by_number(session, number)
        (invoice,) = invoices_of_order(session, found.id)
        assert (found.tax_kind, invoice.tax_kind) == ("collected", "collected")
    with pytest.raises(Refused):
        change_channel(desk, owner, "hagglet", {"orders": {"collected": "maybe"}})
    assert_sound(desk)
