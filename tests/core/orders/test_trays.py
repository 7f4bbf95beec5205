"""Tests in which tray an order lies after work on it."""

import pytest

from relvan.core.orders.facts import LineFacts, order_facts
from relvan.core.orders.trays import Tray, tray_after_work


@pytest.mark.parametrize(
    ("line", "shipments", "unknown", "paid", "tray"),
    [
        (LineFacts(1, reserved=1), 0, 0, 1, Tray.INBOX),
        (LineFacts(1), 0, 0, 1, Tray.SHORT),
        (LineFacts(1, reserved=1), 1, 0, 1, Tray.FLOOR),
        (LineFacts(1, picked=1, shipped=1), 0, 0, 1, Tray.CLOSED),
        (LineFacts(1, picked=1, shipped=1), 0, 0, 0, Tray.FLOOR),
        (LineFacts(1, reserved=1), 0, 1, 1, Tray.SHORT),
    ],
)
def test_an_order_goes_to_the_tray_where_it_belongs(line, shipments, unknown, paid, tray):
    facts = order_facts([line], paid=paid, total=1)
    assert tray_after_work(facts, open_shipments=shipments, unknown_lines=unknown) == tray
