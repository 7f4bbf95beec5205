"""Tests in which tray an order lies after work on it."""

import pytest

from relvan.core.orders.facts import LineFacts, order_facts
from relvan.core.orders.trays import Tray, TrayForm, check_tray, repeats_progress, tray_after_work


@pytest.mark.parametrize(
    ("line", "shipments", "unknown", "tray"),
    [
        (LineFacts(1, reserved=1), 0, 0, Tray.INBOX),
        (LineFacts(1), 0, 0, Tray.SHORT),
        (LineFacts(1, reserved=1), 1, 0, Tray.FLOOR),
        (LineFacts(1, picked=1, shipped=1, invoiced=1), 0, 0, Tray.CLOSED),
        (LineFacts(1, picked=1, shipped=1), 0, 0, Tray.FLOOR),
        (LineFacts(1, reserved=1), 0, 1, Tray.SHORT),
    ],
)
def test_an_order_goes_to_the_tray_where_it_belongs(line, shipments, unknown, tray):
    facts = order_facts([line], paid=0, total=1)
    assert tray_after_work(facts, open_shipments=shipments, unknown_lines=unknown) == tray


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("Shipped", {"shipped": "all"}),
        ("All shipped, not invoiced", {"shipped": "all", "invoiced": "open"}),
        ("Orders to pick", {"reserved": "all", "picked": "open"}),
        ("Ask the customer", {}),
        ("Paid by cheque", {}),
        ("paid but not sent", {"paid": "all", "shipped": "open"}),
        ("Unpaid, shipped", {"paid": "open", "shipped": "all"}),
        ("Partly dispatched and billed", {"shipped": "part", "invoiced": "all"}),
        ("To pack", {"picked": "all", "shipped": "open"}),
        ("All orders still to invoice", {"invoiced": "open"}),
        ("All orders", {}),
        ("Not yet", {}),
        ("To engrave", {}),
        ("Unsure", {}),
        ("Paid to", {}),
        ("Versandt", {}),
        ("…", {}),
    ],
)
def test_a_tray_that_repeats_progress_is_met_with_the_filter_that_tells_it(name, told):
    assert dict(repeats_progress(name)) == told


@pytest.mark.parametrize(
    ("form", "code", "field"),
    [
        (TrayForm(""), "form", "name"),
        (TrayForm("…"), "form", "name"),
        (TrayForm("n" * 41), "form", "name"),
        (TrayForm("INBOX"), "taken", "name"),
        (TrayForm("Ask", hue="red"), "not-allowed", "hue"),
        (TrayForm("Ask", remind_days=-1), "out-of-range", "remind_days"),
        (TrayForm("Ask", words="w" * 201), "too-long", "words"),
    ],
)
def test_a_tray_that_cannot_be_is_refused_beside_its_field(form, code, field):
    assert [(one.code, one.field) for one in check_tray(form, ["Inbox"])] == [(code, field)]


def test_a_tray_that_can_be_is_taken():
    assert (
        check_tray(TrayForm("Ask the customer", "rose", 3, "We have a question."), ["Inbox"]) == []
    )
