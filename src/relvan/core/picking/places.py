"""Where the bins of a warehouse lie on its plan: a bin takes its place from its code."""

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.picking.plan import MOST_AISLES, MOST_BAYS, FloorPlan, Stop, read_plan
from relvan.core.refusal import refuse

SEPARATORS = re.compile(r"[-./_]+")
TOGETHER = re.compile(r"([A-Z]+)(\d+)")
NAME = re.compile(r"[A-Z0-9]{1,8}")
LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"
MOST_NAME = 8
MOST_FILE = 300_000


@dataclass(frozen=True)
class NamedPlan:
    """A plan whose aisles have names, from left to right; the codes of bins begin with them."""

    floor: FloorPlan
    names: tuple[str, ...]

    def as_dict(self) -> dict[str, Any]:
        """Returns the plan as `read_named_plan` reads it."""
        return {**self.floor.as_dict(), "names": list(self.names)}

    def place(self, code: str) -> Stop | None:
        """Returns where a bin lies, or None for one that is not on the plan."""
        parts = parts_of(code)
        if parts is None:
            return None
        aisle = self._aisle(parts[0])
        on_it = 1 <= parts[1] <= self.floor.bays
        return Stop(aisle, parts[1]) if aisle is not None and on_it else None

    def _aisle(self, name: str) -> int | None:
        if name in self.names:
            return self.names.index(name)
        plain = [one.lstrip("0") for one in self.names]
        return (
            plain.index(name.lstrip("0")) if name.isdigit() and name.lstrip("0") in plain else None
        )


def parts_of(code: str) -> tuple[str, int] | None:
    """Returns the aisle and the bay that a code of a bin names, or None. What follows is the level.

    >>> parts_of("A-03"), parts_of("Y1-06-2"), parts_of("B12"), parts_of("FLOOR")
    (('A', 3), ('Y1', 6), ('B', 12), None)
    """
    parts = SEPARATORS.split(code.upper())
    if len(parts) == 1:
        found = TOGETHER.fullmatch(parts[0])
        return (found[1], int(found[2])) if found else None
    return (parts[0], int(parts[1])) if parts[1].isascii() and parts[1].isdigit() else None


def usual_names(aisles: int) -> tuple[str, ...]:
    """Returns letters as names of aisles, or numbers where there are more than 26.

    >>> usual_names(3), usual_names(30)[:2]
    (('A', 'B', 'C'), ('01', '02'))
    """
    if aisles <= len(LETTERS):
        return tuple(LETTERS[:aisles])
    return tuple(str(number).zfill(len(str(aisles))) for number in range(1, aisles + 1))


def read_named_plan(told: Mapping[str, Any]) -> NamedPlan:
    """Reads a plan from plain data; without names the aisles are called A, B, C.

    Raises:
        Refused: if a figure makes no sense, or the names are not one for each aisle, each once.
    """
    floor = read_plan(told)
    wanted = told.get("names")
    if not wanted:
        return NamedPlan(floor, usual_names(floor.aisles))
    names = tuple(str(name).strip().upper() for name in wanted)
    wrong = [name for name in names if not NAME.fullmatch(name)]
    if len(names) != floor.aisles or len(set(names)) < len(names) or wrong:
        message = f"“Names” must be {floor.aisles} names of aisles, each once: letters and digits."
        fix = f"It got {len(names)}: {', '.join(names)[:80]}."
        raise refuse("out-of-range", message, fix, "names")
    return NamedPlan(floor, names)


def plan_for_bins(codes: Sequence[str]) -> NamedPlan | None:
    """Returns a plan with an aisle for each first part of the codes and as many bays as they name, or
    None where no code has such parts."""
    parts = [found for code in codes if (found := parts_of(code))]
    names = sorted({aisle for aisle, _ in parts}, key=lambda name: (len(name), name))
    bays = max((bay for _, bay in parts), default=0)
    if not names or not 1 <= bays <= MOST_BAYS or len(names) > MOST_AISLES:
        return None
    return read_named_plan({"aisles": len(names), "bays": bays, "names": names})


def read_plan_file(content: bytes) -> dict[str, Any]:
    """Reads a plan from a file: JSON in the shape of `PUT /warehouses/{warehouse}/plan`.

    Raises:
        Refused: if it is empty, too long, or not one JSON object.
    """
    if not 0 < len(content) <= MOST_FILE:
        message = f"The file must have 1 to {MOST_FILE:,} bytes; it has {len(content):,}."
        raise refuse("file", message, "Choose a plan.", "file")
    try:
        told = json.loads(content)
    except (ValueError, RecursionError):
        told = None
    if not isinstance(told, dict):
        message = "The file is no plan: it must be one JSON object."
        raise refuse("file", message, "Take one out to see its form.", "file")
    return told
