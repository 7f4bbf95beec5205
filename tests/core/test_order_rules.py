"""Facts, trays and tax of orders; the tables of lives; parcels; the walk; who may do what."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from relvan.core.orders.facts import Extent, LineFacts, order_facts
from relvan.core.orders.intake import Address, IncomingLine, check_manual_order
from relvan.core.orders.tax import tax_inside
from relvan.core.orders.trays import Tray, tray_after_work
from relvan.core.people.roles import RIGHTS, Right, Role, check_password, check_right
from relvan.core.refusal import NotAllowed, Refused
from relvan.core.shipping.life import OPEN_SHIPMENTS, PICK_LIST, SHIPMENT, move

ALL, PART, NONE = Extent.ALL, Extent.PART, Extent.NONE


@pytest.mark.parametrize(
    ("lines", "paid", "facts", "words"),
    [
        ([LineFacts(2)], 0, (NONE, NONE, NONE, NONE), "2 of 2 short, not paid"),
        ([LineFacts(2, reserved=2)], 100, (ALL, NONE, NONE, ALL), "2 of 2 to pick, paid"),
        (
            [LineFacts(2, reserved=1)],
            50,
            (PART, NONE, NONE, PART),
            "1 of 2 short, 1 of 2 to pick, part paid",
        ),
        (
            [LineFacts(2, reserved=2, picked=1)],
            100,
            (ALL, PART, NONE, ALL),
            "1 of 2 to pick, 1 to ship, paid",
        ),
        ([LineFacts(2, picked=2, shipped=2)], 100, (ALL, ALL, ALL, ALL), "shipped, paid"),
        (
            [LineFacts(1, picked=1, shipped=1), LineFacts(1)],
            100,
            (PART, PART, PART, ALL),
            "1 of 2 short, paid",
        ),
        ([LineFacts(1, stocked=False)], 100, (ALL, ALL, ALL, ALL), "shipped, paid"),
        (
            [LineFacts(1, known=False)],
            100,
            (NONE, NONE, NONE, ALL),
            "1 unknown line, 1 of 1 short, paid",
        ),
    ],
)
def test_facts_and_words(lines, paid, facts, words):
    found = order_facts(lines, paid=paid, total=100)
    assert (found.reserved, found.picked, found.shipped, found.paid) == facts
    assert found.words == words


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


@pytest.mark.parametrize(
    ("gross", "percent", "tax"),
    [(2400, 20, 400), (999, 20, 166), (100, 0, 0), (1100, 10, 100), (1, 20, 0)],
)
def test_the_tax_inside_an_amount(gross, percent, tax):
    assert tax_inside(gross, Decimal(percent)) == tax


@given(st.integers(0, 10**9), st.decimals(0, 30, places=1))
def test_net_and_tax_are_the_gross(gross, percent):
    tax = tax_inside(gross, percent)
    assert 0 <= tax <= gross
    assert abs((gross - tax) * (1 + percent / 100) - gross) <= 1


def test_a_manual_order_needs_goods_and_an_address():
    good = Address("Ada", "1 Row", "Tarnhollow", "1", "NL")
    assert check_manual_order((IncomingLine("", "A", "A", 1, 100),), good) == []
    bad = check_manual_order((IncomingLine("", "A", "A", 0, -1),), Address(country="Narnia"))
    assert {refusal.field for refusal in bad} == {"lines", "name", "street", "town", "country"}
    assert check_manual_order((), good)[0].field == "lines"


@pytest.mark.parametrize("table", [SHIPMENT, PICK_LIST])
def test_every_way_of_a_life_leads_to_a_state_of_its_table(table):
    assert {after for ways in table.values() for after in ways.values()} <= table.keys()


def test_an_event_moves_a_state_and_another_names_what_can_happen():
    assert move(SHIPMENT, "S-1", "to pick", "list") == "picking"
    with pytest.raises(Refused) as refused:
        move(SHIPMENT, "S-1", "to pick", "dispatch")
    assert "S-1 is “to pick”" in refused.value.first.message
    assert refused.value.first.fix == "What can: list, cancel."
    assert all(SHIPMENT[state] for state in OPEN_SHIPMENTS)


def test_roles_hold_their_rights_and_no_others():
    check_right(Role.WAREHOUSE, Right.DISPATCH)
    with pytest.raises(NotAllowed):
        check_right(Role.WAREHOUSE, Right.PRICES)
    assert RIGHTS[Role.OWNER] == frozenset(Right)
    assert all(Right.SETUP not in rights for role, rights in RIGHTS.items() if role != Role.OWNER)


@pytest.mark.parametrize(
    ("password", "good"), [("x" * 9, False), ("x" * 10, True), ("x" * 201, False)]
)
def test_a_password_is_long_enough(password, good):
    if good:
        check_password(password)
    else:
        with pytest.raises(Refused):
            check_password(password)
