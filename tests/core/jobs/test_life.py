"""The life of a bulk job, and what was touched since its rehearsal."""

import pytest

from relvan.core.jobs.life import LIFE, later_touched, next_state
from relvan.core.refusal import Refused


@pytest.mark.parametrize(
    ("change", "now", "undo", "touched"),
    [
        ({"cost": [5, 6]}, {"cost": 5}, False, []),
        ({"cost": [5, 6]}, {"cost": 6}, True, []),
        ({"cost": [5, 6]}, {"cost": 7}, False, ["cost"]),
        ({"cost": [None, 6]}, {}, False, []),
        ({"fragile": [None, True]}, {"fragile": False}, False, []),
        ({"brand": ["X", None]}, {"brand": ""}, True, []),
    ],
)
def test_what_was_touched_since_is_named(change, now, undo, touched):
    assert later_touched(change, now, undo=undo) == touched


def test_every_state_of_a_job_is_reached_and_leads_only_to_known_states():
    reached = {
        "to map",
        "reading",
        "running",
        *(state for events in LIFE.values() for state in events.values()),
    }
    assert reached == set(LIFE)


@pytest.mark.parametrize("state", sorted(LIFE))
@pytest.mark.parametrize("event", ["apply", "undo", "rehearse", "drop", "nonsense"])
def test_an_event_that_the_table_lacks_is_refused_and_says_what_is_possible(state, event):
    if event in LIFE[state]:
        assert next_state(state, event) in LIFE
        return
    with pytest.raises(Refused) as refused:
        next_state(state, event)
    assert refused.value.first.code == "wrong-state"
    assert state in refused.value.first.message
    assert event in refused.value.first.message
