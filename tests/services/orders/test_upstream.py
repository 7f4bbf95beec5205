"""Tests what buyers change of their orders on each channel, as it arrives here."""

import pytest

from relvan.core.orders.intake import Address
from relvan.services.listings.publish import publish_listings
from relvan.store.orders import lines_of, order_by_number
from tests.house import assert_sound, deliver, read
from tests.steps.every_channel import OWN, ready


@pytest.mark.parametrize("key", OWN)
def test_what_a_buyer_changes_arrives_whichever_the_channel(all_channels, owner, world, key):
    publish_listings(all_channels, owner, [ready(all_channels, owner, key)])
    deliver(all_channels)
    sale = world.buy(key, "PT-14", 3, paid=False)
    (number,) = read(all_channels)

    def change(deed, body=None):
        """Changes the order as its buyer; returns the order as it is here then."""
        path = f"/world/{key}/orders/{sale}/{deed}"
        assert world.client.post(path, json=body).status_code == 200
        assert read(all_channels) == [number]
        with all_channels.database.reading() as session:
            order = order_by_number(session, number)
            (line,) = lines_of(session, [order.id])[order.id]
            return order, line

    order, _ = change("pay")
    assert order.fact_paid == "all"
    order, _ = change("address", {"street": "3 Mill Lane", "town": "Fernhollow"})
    to = Address.read(order.ship_to)
    assert (to.street, to.town) == ("3 Mill Lane", "Fernhollow")
    (bought,) = world.order(key, sale)["lines"]
    order, line = change("take-off", {"lines": {bought["line"]: 1}})
    assert (line.quantity, line.taken_off, order.paid) == (2, 1, order.total)
    order, _ = change("cancel")
    assert (order.tray, order.paid) == ("cancelled", 0)
    assert read(all_channels) == []
    assert_sound(all_channels)
