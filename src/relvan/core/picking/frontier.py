"""The states in which a walk through a warehouse can be when all aisles up to one of them are decided,
and what each choice makes of them.

A shortest walk is a connected set of stretches, each walked once or twice, in which an odd number of
stretches meets only where the walk begins and ends. Going through the aisles from left to right, all
that matters of what was decided so far is, for each cross aisle where it meets the present aisle,
whether an odd number of stretches ends there, and which of these corners hang together. With two cross
aisles this is the algorithm of Ratliff and Rosenthal (1983), with three that of Roodbergen and De Koster
(2001); the same tables serve any number.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, partial
from typing import Any

import numpy as np

UNTOUCHED = -1
# a corner's parity, and the number of the part to which it belongs, for each cross aisle
State = tuple[tuple[int, ...], tuple[int, ...]]
Choice = Callable[[State], State | None]
ChoiceName = tuple[str, int, int]
Table = tuple[Any, Any]  # two arrays: states before, and the state that each becomes


@dataclass(frozen=True)
class Tables:
    """For each choice, which state becomes which.

    `touch` and `turn` are by corner: a walk must come there; a walk begins or ends there. `both`, `join`
    and `once` are by block, the aisle between two cross aisles: one must come to both of its ends; it is
    walked twice, or once. `along` is by corner and by how often one walks on to the next aisle.
    """

    size: int
    empty: int
    whole: tuple[int, ...]
    touch: tuple[Table, ...]
    turn: tuple[Table, ...]
    both: tuple[Table, ...]
    join: tuple[Table, ...]
    once: tuple[Table, ...]
    along: dict[tuple[int, int], Table]


@cache
def tables_for(corners: int, turning: bool) -> Tables:
    """Returns the tables for so many cross aisles, front and back among them; with `turning`, for walks
    that end elsewhere than they begin."""
    states, steps = _reached(corners, turning)
    numbers = {state: at for at, state in enumerate(states)}

    def table(name: ChoiceName) -> Table:
        pairs = [
            (numbers[before], numbers[after]) for before, after in steps[name].items() if after
        ]
        found = np.array(pairs, dtype=np.int64).reshape(-1, 2)
        return found[:, 0].copy(), found[:, 1].copy()

    blocks = range(corners - 1)
    whole = [
        at for at, (odd, part) in enumerate(states) if not any(odd) and set(part) - {-1} == {0}
    ]
    return Tables(
        len(states),
        numbers[_empty(corners)],
        tuple(whole),
        tuple(table(("touch", corner, 0)) for corner in range(corners)),
        tuple(table(("turn", corner, 0)) for corner in range(corners)) if turning else (),
        tuple(table(("both", block, 0)) for block in blocks),
        tuple(table(("join", block, 0)) for block in blocks),
        tuple(table(("once", block, 0)) for block in blocks),
        {
            (corner, times): table(("along", corner, times))
            for corner in range(corners)
            for times in range(3)
        },
    )


def _reached(
    corners: int, turning: bool
) -> tuple[list[State], dict[ChoiceName, dict[State, State | None]]]:
    """Returns all states that choices lead to, and the table of each choice."""
    choices = _choices(corners, turning)
    states = [_empty(corners)]
    steps: dict[ChoiceName, dict[State, State | None]] = {name: {} for name in choices}
    seen = set(states)
    for state in states:
        for name, choice in choices.items():
            after = steps[name][state] = choice(state)
            if after is not None and after not in seen:
                seen.add(after)
                states.append(after)
    return states, steps


def _choices(corners: int, turning: bool) -> dict[ChoiceName, Choice]:
    """Returns what each choice makes of a state, by its name, its corner or block, and how often."""
    found: dict[ChoiceName, Choice] = {}
    for corner in range(corners):
        found["touch", corner, 0] = partial(_touch, corner=corner)
        if turning:
            found["turn", corner, 0] = partial(_turn, corner=corner)
        for times in range(3):
            found["along", corner, times] = partial(_along, corner=corner, times=times)
    for block in range(corners - 1):
        found["both", block, 0] = partial(_both, block=block)
        found["join", block, 0] = partial(_join, block=block)
        found["once", block, 0] = partial(_once, block=block)
    return found


def _empty(corners: int) -> State:
    return (0,) * corners, (UNTOUCHED,) * corners


def _numbered(odd: tuple[int, ...], part: tuple[int, ...]) -> State:
    """Returns a state with its parts numbered in the order in which they come."""
    names: dict[int, int] = {}
    return odd, tuple(
        UNTOUCHED if one == UNTOUCHED else names.setdefault(one, len(names)) for one in part
    )


def _with(values: tuple[int, ...], at: int, value: int) -> tuple[int, ...]:
    return (*values[:at], value, *values[at + 1 :])


def _touch(state: State, corner: int) -> State:
    odd, part = state
    if part[corner] != UNTOUCHED:
        return state
    return _numbered(odd, _with(part, corner, max(part) + 1))


def _flip(state: State, corner: int) -> State:
    odd, part = _touch(state, corner)
    return _with(odd, corner, 1 - odd[corner]), part


def _both(state: State, block: int) -> State:
    return _touch(_touch(state, block), block + 1)


def _once(state: State, block: int) -> State:
    return _flip(_flip(_join(state, block), block), block + 1)


def _turn(state: State, corner: int) -> State | None:
    """Returns the state when a walk begins or ends in a corner. It does both only once: two parts with
    an odd number of loose ends, or three loose ends too many, cannot be."""
    odd, part = state
    loose = {one for one in part if sum(o for o, p in zip(odd, part, strict=True) if p == one) % 2}
    return _flip(state, corner) if len(loose - {UNTOUCHED}) <= 1 else None


def _join(state: State, block: int) -> State:
    odd, part = _both(state, block)
    gone, kept = part[block + 1], part[block]
    return _numbered(odd, tuple(kept if one == gone else one for one in part))


def _along(state: State, corner: int, times: int) -> State | None:
    """Returns the state when one walks on from a corner so often, or None if that cannot be: an odd
    number of stretches would meet in the corner, or a part would be left behind."""
    odd, part = state
    if (odd[corner] + times) % 2:
        return None
    if part[corner] == UNTOUCHED:
        return None if times else state
    if times:
        return _with(odd, corner, times % 2), part
    if part.count(part[corner]) == 1:
        return None
    return _numbered(_with(odd, corner, 0), _with(part, corner, UNTOUCHED))
