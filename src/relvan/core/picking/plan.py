"""The plan of a warehouse: straight aisles at right angles to cross aisles, with where one begins and
ends a walk.

Lengths are in metres. Aisles count from 0 and lie `aisle_pitch_m` apart; bays count from 1 and begin
`cross_off_m` behind the front cross aisle, which is at y = 0.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from math import hypot, isfinite
from typing import Any

from relvan.core.refusal import Refusal, refuse_if_any

MOST_AISLES = 2_000
MOST_BAYS = 2_000
MOST_CROSS = 30
LONGEST_M = 1_000.0
SAME = 1e-9


@dataclass(frozen=True)
class AisleEnd:
    """One end of an aisle, at the front or the back cross aisle."""

    aisle: int = 0
    back: bool = False

    def as_dict(self) -> dict[str, Any]:
        """Returns the end as plain data."""
        return {"aisle": self.aisle, "end": "back" if self.back else "front"}


@dataclass(frozen=True, order=True)
class Stop:
    """A place where something is taken: an aisle, and a bay of it."""

    aisle: int
    bay: int


@dataclass(frozen=True)
class FloorPlan:
    """A warehouse's aisles and cross aisles. `cross` has the y of cross aisles between front and back,
    in ascending order; `drop` is where goods are put down."""

    aisles: int
    bays: int
    bay_m: float = 1.0
    aisle_pitch_m: float = 5.0
    cross_off_m: float = 1.0
    cross: tuple[float, ...] = ()
    start: AisleEnd = field(default_factory=AisleEnd)
    drop: AisleEnd = field(default_factory=AisleEnd)

    @property
    def depth_m(self) -> float:
        """The y of the back cross aisle."""
        return 2 * self.cross_off_m + (self.bays - 1) * self.bay_m

    @property
    def levels(self) -> tuple[float, ...]:
        """The y of every cross aisle, from the front to the back."""
        return (0.0, *self.cross, self.depth_m)

    def y_of(self, bay: int) -> float:
        """Returns the distance of a bay from the front cross aisle."""
        return self.cross_off_m + (bay - 1) * self.bay_m

    def y_of_end(self, end: AisleEnd) -> float:
        """Returns the y of an end of an aisle."""
        return self.depth_m if end.back else 0.0

    def x_of(self, aisle: int) -> float:
        """Returns the x of the middle of an aisle."""
        return aisle * self.aisle_pitch_m

    def between(self, a: tuple[int, float], b: tuple[int, float]) -> float:
        """Returns the shortest walk between two points, each an aisle and a y."""
        if a[0] == b[0]:
            return abs(a[1] - b[1])
        around = min(abs(a[1] - level) + abs(b[1] - level) for level in self.levels)
        return abs(a[0] - b[0]) * self.aisle_pitch_m + around

    def as_dict(self) -> dict[str, Any]:
        """Returns the plan as `read_plan` reads it."""
        return {
            "aisles": self.aisles,
            "bays": self.bays,
            "bay_m": self.bay_m,
            "aisle_pitch_m": self.aisle_pitch_m,
            "cross_off_m": self.cross_off_m,
            "cross_aisles": list(self.cross),
            "start": self.start.as_dict(),
            "drop": self.drop.as_dict(),
        }


def read_plan(told: Mapping[str, Any]) -> FloorPlan:
    """Reads a plan from plain data.

    Raises:
        Refused: if a figure is missing, no number, or makes no sense.
    """
    found: list[Refusal] = []
    aisles = _whole(told, "aisles", MOST_AISLES, found)
    bays = _whole(told, "bays", MOST_BAYS, found)
    plan = FloorPlan(
        aisles,
        bays,
        _length(told, "bay_m", 1.0, found),
        _length(told, "aisle_pitch_m", 5.0, found),
        _length(told, "cross_off_m", 1.0, found),
    )
    refuse_if_any(found)
    start = _end(told.get("start") or {}, "start", aisles, found)
    drop = _end(told["drop"], "drop", aisles, found) if told.get("drop") else start
    cross = _cross(told.get("cross_aisles") or (), plan.depth_m, found)
    refuse_if_any(found)
    return replace(plan, cross=cross, start=start, drop=drop)


def _whole(told: Mapping[str, Any], name: str, most: int, found: list[Refusal]) -> int:
    value = told.get(name)
    if isinstance(value, bool) or not isinstance(value, int) or not 1 <= value <= most:
        found.append(_wrong(name, f"must be a whole number from 1 to {most:,}", value))
        return 1
    return value


def _length(told: Mapping[str, Any], name: str, usual: float, found: list[Refusal]) -> float:
    value = told.get(name, usual)
    if not _is_number(value) or not (0 if name == "cross_off_m" else SAME) <= value <= LONGEST_M:
        found.append(_wrong(name, f"must be a length of at most {LONGEST_M:,.0f} metres", value))
        return usual
    return float(value)


def _end(told: Any, name: str, aisles: int, found: list[Refusal]) -> AisleEnd:
    if not isinstance(told, Mapping):
        found.append(_wrong(name, "must have an aisle and an end", told))
        return AisleEnd()
    aisle, end = told.get("aisle", 0), told.get("end", "front")
    if isinstance(aisle, bool) or not isinstance(aisle, int) or not 0 <= aisle < aisles:
        found.append(_wrong(f"{name}.aisle", f"must be 0 to {aisles - 1:,}", aisle))
    elif end not in ("front", "back"):
        found.append(_wrong(f"{name}.end", "must be front or back", end))
    else:
        return AisleEnd(aisle, end == "back")
    return AisleEnd()


def _cross(told: Any, depth: float, found: list[Refusal]) -> tuple[float, ...]:
    if not isinstance(told, list | tuple) or len(told) > MOST_CROSS:
        found.append(
            _wrong("cross_aisles", f"must be a list of at most {MOST_CROSS} lengths", told)
        )
        return ()
    for y in told:
        if not _is_number(y) or not SAME < y < depth - SAME:
            message = f"must lie between front and back, 0 and {depth:g} metres"
            found.append(_wrong("cross_aisles", message, y))
            return ()
    rising = tuple(sorted(float(y) for y in told))
    if any(b - a < SAME for a, b in zip(rising, rising[1:], strict=False)):
        found.append(_wrong("cross_aisles", "must differ from one another", told))
    return rising


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and isfinite(value)


def _wrong(name: str, wish: str, value: Any) -> Refusal:
    return Refusal("out-of-range", f"“{name}” {wish}; it got {value!r:.60}.", "Correct it.", name)


def check_stops(plan: FloorPlan, stops: Iterable[Stop]) -> list[Refusal]:
    """Checks that stops lie on the plan."""
    found = []
    for at, stop in enumerate(stops):
        if not 0 <= stop.aisle < plan.aisles or not 1 <= stop.bay <= plan.bays:
            message = (
                f"Stop {at} is in aisle {stop.aisle}, bay {stop.bay}; the plan has aisles 0 to "
            )
            message += f"{plan.aisles - 1:,} and bays 1 to {plan.bays:,}."
            found.append(Refusal("out-of-range", message, "Correct it.", "stops"))
    return found


def length_of(path: Iterable[tuple[float, float]]) -> float:
    """Returns the length of a path through points of the plan, in metres."""
    points = list(path)
    return sum(hypot(b[0] - a[0], b[1] - a[1]) for a, b in zip(points, points[1:], strict=False))
