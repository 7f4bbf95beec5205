"""Tests the lives of shipments and pick lists: every event leads to a state of its table."""

import pytest

from relvan.core.refusal import Refused
from relvan.core.shipping.life import OPEN_SHIPMENTS, PICK_LIST, SHIPMENT, move


@pytest.mark.parametrize("table", [SHIPMENT, PICK_LIST])
def test_every_way_of_a_life_leads_to_a_state_of_its_table(table):
    assert {after for ways in table.values() for after in ways.values()} <= table.keys()


def test_an_event_moves_a_state_and_another_names_what_can_happen():
    assert move(SHIPMENT, "S-1", "to pick", "list") == "picking"
    with pytest.raises(Refused) as refused:
        move(SHIPMENT, "S-1", "to pick", "dispatch")
    assert "S-1 is “to pick”" in refused.value.first.message
    assert refused.value.first.fix == "What can: list, cancel, put back."
    assert all(SHIPMENT[state] for state in OPEN_SHIPMENTS)
