"""The states of a bulk job, and the events that lead from one to the next, as a table."""

from collections.abc import Mapping
from enum import StrEnum
from typing import Any

from relvan.core.catalogue.facts import is_empty
from relvan.core.refusal import Refusal, refuse


class JobState(StrEnum):
    """The states of a bulk job."""

    TO_MAP = "to map"  # its columns are still to be named
    READING = "reading"
    REHEARSED = "rehearsed"
    APPLYING = "applying"
    RUNNING = "running"  # its updates are on their way to channels
    ENDED = "ended"
    UNDOING = "undoing"
    UNDONE = "undone"
    FAILED = "failed"
    DROPPED = "dropped"


class JobVerdict(StrEnum):
    """The verdicts on one row of a bulk job: what it would do, and later what became of it."""

    NEW = "new"
    CHANGES = "changes"
    SAME = "same"
    WAITING = "waiting"
    REFUSED = "refused"
    DONE = "done"
    UNDONE = "taken back"
    NOT_UNDONE = "not taken back"


# rows of a rehearsal that change something when it is applied
TO_APPLY = (JobVerdict.NEW, JobVerdict.CHANGES)

_J = JobState
# state -> event -> the next state
LIFE: Mapping[str, Mapping[str, JobState]] = {
    _J.TO_MAP: {"rehearse": _J.READING, "drop": _J.DROPPED},
    _J.READING: {"read": _J.REHEARSED, "fail": _J.FAILED, "drop": _J.DROPPED},
    _J.REHEARSED: {
        "apply": _J.APPLYING,
        "rehearse": _J.READING,
        "map": _J.TO_MAP,
        "drop": _J.DROPPED,
    },
    _J.APPLYING: {"end": _J.ENDED, "fail": _J.FAILED},
    _J.RUNNING: {"end": _J.ENDED},
    _J.ENDED: {"undo": _J.UNDOING},
    _J.UNDOING: {"end": _J.UNDONE, "fail": _J.FAILED},
    _J.UNDONE: {},
    _J.FAILED: {"rehearse": _J.READING, "drop": _J.DROPPED},
    _J.DROPPED: {},
}
# states in which the worker has something to do
WORKING = (_J.READING, _J.APPLYING, _J.UNDOING)
FIXES = {
    "apply": "Only a rehearsed job can be applied.",
    "undo": "Only a job that has ended can be undone.",
    "rehearse": "Start a new one instead.",
}


def next_state(state: str, event: str) -> JobState:
    """Returns the state that an event leads to. An event that the table does not allow is refused;
    the refusal names the event, the state and what is possible.

    >>> str(next_state("rehearsed", "apply"))
    'applying'
    """
    found = LIFE.get(state, {}).get(event)
    if found is None:
        possible = ", ".join(LIFE.get(state, {})) or "nothing"
        message = f"A job that is “{state}” cannot “{event}”; possible: {possible}."
        raise refuse("wrong-state", message, FIXES.get(event, "Load the page again."))
    return found


def later_touched(change: Mapping[str, Any], now: Mapping[str, Any], *, undo: bool) -> list[str]:
    """Returns the facts that somebody has changed since: before applying they must have the old
    values of the change, before undoing its new ones.

    >>> later_touched({"cost": [500, 600]}, {"cost": 550}, undo=False)
    ['cost']
    """
    found = []
    for name, (old, new) in change.items():
        if not as_expected(now.get(name), new if undo else old):
            found.append(name)
    return found


def as_expected(there: Any, expected: Any) -> bool:
    """Says whether a fact has the value that a change expects; all values that count as none are
    the same."""
    return there == expected or (is_empty(there) and is_empty(expected))


def moved_on(names: list[str], now: Mapping[str, Any]) -> Refusal:
    """Returns the refusal that says which facts somebody else has changed in the meantime."""
    told = ", ".join(
        f"{name.replace('_', ' ')} is now {_value_in_words(now.get(name))}" for name in names[:3]
    )
    return Refusal("moved-on", f"It has changed since: {told}.", "Look at it and decide by hand.")


def _value_in_words(value: Any) -> str:
    return "empty" if is_empty(value) else f"“{str(value)[:60]}”"
