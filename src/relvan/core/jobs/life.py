"""The life of a bulk job as a table: its states, and the events that move it."""

from collections.abc import Mapping
from typing import Any

from relvan.core.catalogue.facts import is_empty
from relvan.core.refusal import Refusal, refuse

# state -> event -> the next state
LIFE: Mapping[str, Mapping[str, str]] = {
    "to map": {"rehearse": "reading", "drop": "dropped"},
    "reading": {"read": "rehearsed", "fail": "failed", "drop": "dropped"},
    "rehearsed": {"apply": "applying", "rehearse": "reading", "map": "to map", "drop": "dropped"},
    "applying": {"end": "ended", "fail": "failed"},
    "running": {"end": "ended"},
    "ended": {"undo": "undoing"},
    "undoing": {"end": "undone", "fail": "failed"},
    "undone": {},
    "failed": {"rehearse": "reading", "drop": "dropped"},
    "dropped": {},
}
# states in which the worker has something to do
WORKING = ("reading", "applying", "undoing")
FIXES = {
    "apply": "Only a rehearsed job can be applied.",
    "undo": "Only a job that has ended can be undone.",
    "rehearse": "Start a new one instead.",
}


def next_state(state: str, event: str) -> str:
    """Where an event takes a job. Refused, naming event, state and what is possible: anything the table lacks.

    >>> next_state("rehearsed", "apply")
    'applying'
    """
    found = LIFE.get(state, {}).get(event)
    if found is None:
        possible = ", ".join(LIFE.get(state, {})) or "nothing"
        message = f"A job that is “{state}” cannot “{event}”; possible: {possible}."
        raise refuse("wrong-state", message, FIXES.get(event, "Load the page again."))
    return found


def later_touched(change: Mapping[str, Any], now: Mapping[str, Any], *, undo: bool) -> list[str]:
    """The facts that are no longer as a change says: its old values before applying, its new ones before undoing.

    >>> later_touched({"cost": [500, 600]}, {"cost": 550}, undo=False)
    ['cost']
    """
    found = []
    for name, (old, new) in change.items():
        if not as_expected(now.get(name), new if undo else old):
            found.append(name)
    return found


def as_expected(there: Any, expected: Any) -> bool:
    """Whether a fact is what a change expects of it; all that says nothing is the same."""
    return there == expected or (is_empty(there) and is_empty(expected))


def moved_on(names: list[str], now: Mapping[str, Any]) -> Refusal:
    """That facts have been changed by somebody else meanwhile."""
    told = ", ".join(f"{name.replace('_', ' ')} is now {_told(now.get(name))}" for name in names[:3])
    return Refusal("moved-on", f"It has changed since: {told}.", "Look at it and decide by hand.")


def _told(value: Any) -> str:
    return "empty" if is_empty(value) else f"“{str(value)[:60]}”"
