"""Draws the plan of a warehouse as the shapes of an SVG picture, with what is picked where and the walk
of a pick list on it. The front of the warehouse is at the bottom.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from relvan.core.picking.lists import RoundTrip
from relvan.core.picking.places import NamedPlan
from relvan.core.picking.plan import AisleEnd

WIDE, HIGH, MARGIN = 900.0, 420.0, 34.0
MOST_CELLS = 6_000
WALKED, SHELF = 0.34, 0.27  # the way between the shelves and a shelf, as shares of the pitch


@dataclass(frozen=True)
class DrawnCell:
    """A bay with how strongly it is inked, 0 to 1, and what is said of it when it is pointed at."""

    x: float
    y: float
    wide: float
    high: float
    ink: float
    words: str

    @property
    def outline(self) -> str:
        """The path round it."""
        return f"M{self.x} {self.y}h{self.wide}v{self.high}h-{self.wide}z"


@dataclass(frozen=True)
class DrawnStop:
    """A stop of a walk: its number on the way, and the codes of its bins."""

    x: float
    y: float
    number: int
    words: str


@dataclass(frozen=True)
class FloorPicture:
    """The picture's size, the aisles as (name, x), the cross aisles as y, and what stands on it. `front` is
    the y of the front, and `metre` how long a metre is towards the back."""

    wide: float
    high: float
    aisles: tuple[tuple[str, float], ...]
    cross: tuple[float, ...]
    edges: tuple[float, float]
    cells: tuple[DrawnCell, ...] = ()
    path: str = ""
    stops: tuple[DrawnStop, ...] = ()
    start: tuple[float, float] = (0.0, 0.0)
    drop: tuple[float, float] | None = None
    bays: tuple[tuple[int, float], ...] = field(default=())
    front: float = 0.0
    metre: float = 1.0


class _Scale:
    """Turns metres of a plan into points of the picture."""

    def __init__(self, plan: NamedPlan) -> None:
        floor = plan.floor
        self.floor = floor
        across = max(1, floor.aisles) * floor.aisle_pitch_m
        self.by_x = (WIDE - 2 * MARGIN) / across
        self.by_y = (HIGH - 2 * MARGIN) / max(floor.depth_m, 0.01)

    def x(self, metres: float) -> float:
        return round(MARGIN + (metres + self.floor.aisle_pitch_m / 2) * self.by_x, 1)

    def y(self, metres: float) -> float:
        return round(HIGH - MARGIN - metres * self.by_y, 1)

    def end(self, end: AisleEnd) -> tuple[float, float]:
        return self.x(self.floor.x_of(end.aisle)), self.y(self.floor.y_of_end(end))


def floor_picture(
    plan: NamedPlan,
    *,
    heat: Mapping[str, int] | None = None,
    trip: RoundTrip | None = None,
    codes: Sequence[str | None] = (),
) -> FloorPicture:
    """Returns the picture of a plan. `heat` has the picks by code of bin; `codes` are the bins of the
    picks of the walk `trip`."""
    floor, scale = plan.floor, _Scale(plan)
    half = round(floor.aisle_pitch_m * scale.by_x * (WALKED / 2 + SHELF), 1)
    step = max(1, -(-floor.aisles // 40))
    return FloorPicture(
        WIDE,
        HIGH,
        tuple(
            (name, scale.x(floor.x_of(at))) for at, name in enumerate(plan.names) if at % step == 0
        ),
        tuple(scale.y(level) for level in floor.levels),
        (scale.x(floor.x_of(0)) - half, scale.x(floor.x_of(floor.aisles - 1)) + half),
        _cells(plan, scale, heat or {}),
        " ".join(f"{scale.x(x)},{scale.y(y)}" for x, y in trip.route.path) if trip else "",
        _stops(scale, trip, codes) if trip else (),
        scale.end(floor.start),
        scale.end(floor.drop) if floor.drop != floor.start else None,
        tuple((bay, scale.y(floor.y_of(bay))) for bay in sorted({1, floor.bays})),
        scale.y(0.0),
        round(scale.by_y, 4),
    )


def _cells(plan: NamedPlan, scale: _Scale, heat: Mapping[str, int]) -> tuple[DrawnCell, ...]:
    floor = plan.floor
    if floor.aisles * floor.bays > MOST_CELLS:
        return ()
    picks: dict[tuple[int, int], int] = {}
    for code, count in heat.items():
        place = plan.place(code)
        if place is not None:
            key = (place.aisle, place.bay)
            picks[key] = picks.get(key, 0) + count
    most = max(picks.values(), default=0)
    pitch = floor.aisle_pitch_m * scale.by_x
    wide, high = round(SHELF * pitch, 1), round(max(1.2, floor.bay_m * scale.by_y - 0.6), 1)
    return tuple(
        DrawnCell(
            round(scale.x(floor.x_of(aisle)) + side * pitch, 1),
            round(scale.y(floor.y_of(bay)) - high / 2, 1),
            wide,
            high,
            round(picks.get((aisle, bay), 0) / most, 2) if most else 0.0,
            f"{plan.names[aisle]}, bay {bay}: {picks.get((aisle, bay), 0)} picks",
        )
        for aisle in range(floor.aisles)
        for bay in range(1, floor.bays + 1)
        for side in (-WALKED / 2 - SHELF, WALKED / 2)
    )


def _stops(scale: _Scale, trip: RoundTrip, codes: Sequence[str | None]) -> tuple[DrawnStop, ...]:
    found = []
    for number, (stop, picks) in enumerate(zip(trip.stops, trip.picks, strict=True), 1):
        bins = sorted({codes[at] or "" for at in picks})
        x, y = scale.x(scale.floor.x_of(stop.aisle)), scale.y(scale.floor.y_of(stop.bay))
        found.append(DrawnStop(x, y, number, ", ".join(bins)))
    return tuple(found)
