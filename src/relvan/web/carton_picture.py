"""Draws a packed carton to scale as the shapes of an isometric SVG picture, seen from above its near
corner."""

from dataclasses import dataclass
from math import cos, pi, sin

from relvan.core.packing.cartons import PackedCarton, PlacedItem

WIDE, HIGH, EDGE = 300.0, 240.0, 8.0
ABOVE_WIDE, ABOVE_HIGH = 300.0, 200.0
COS, SIN = cos(pi / 6), sin(pi / 6)


@dataclass(frozen=True)
class DrawnBox:
    """An item as three faces, each a list of points, with its number, the place of that, and words."""

    top: str
    left: str
    right: str
    number: int
    x: float
    y: float
    words: str


@dataclass(frozen=True)
class CartonPicture:
    """The picture's size, the carton's edges behind and before the goods, and the goods from the back to
    the front. `layers` counts the heights at which goods stand."""

    wide: float
    high: float
    behind: str
    before: str
    boxes: tuple[DrawnBox, ...]
    layers: int


@dataclass(frozen=True)
class AboveUnit:
    """A unit as one sees it from above: its rectangle in the picture, its number, its layer from the bottom
    (from 1), its near corner in millimetres, and words."""

    x: float
    y: float
    wide: float
    high: float
    number: int
    layer: int
    at: tuple[float, float, float]
    words: str


@dataclass(frozen=True)
class AbovePicture:
    """A carton seen from above, its back at the top; `mm` is how many millimetres a unit of the picture
    is long."""

    wide: float
    high: float
    mm: float
    units: tuple[AboveUnit, ...]
    layers: int


def picture_from_above(packed: PackedCarton) -> AbovePicture:
    """Returns the picture of a carton from above, the lowest units first."""
    long, deep, _ = packed.carton.size
    scale = min(ABOVE_WIDE / long, ABOVE_HIGH / deep)
    heights = sorted({item.at[2] for item in packed.items})
    units = []
    for number, item in enumerate(packed.items, 1):
        x, y, z = item.at
        wide, high = item.size[0] * scale, item.size[1] * scale
        layer = heights.index(z) + 1
        place = "on the bottom" if z == 0 else f"at a height of {z:g} mm"
        words = f"{number}: {item.id}, {x:g} mm from the left, {y:g} mm from the back, {place}"
        corner = (round(x * scale, 1), round(y * scale, 1))
        units.append(
            AboveUnit(*corner, round(wide, 1), round(high, 1), number, layer, item.at, words)
        )
    units.sort(key=lambda unit: unit.at[2])
    return AbovePicture(
        round(long * scale, 1), round(deep * scale, 1), 1 / scale, tuple(units), len(heights)
    )


class _View:
    """Turns lengths in a carton into points of the picture."""

    def __init__(self, size: tuple[float, float, float]) -> None:
        long, deep, high = size
        self.scale = min(
            (WIDE - 2 * EDGE) / ((long + deep) * COS),
            (HIGH - 2 * EDGE) / ((long + deep) * SIN + high),
        )
        used = (long + deep) * COS * self.scale
        self.left = (WIDE - used) / 2 + deep * COS * self.scale
        self.top = EDGE + high * self.scale

    def point(self, x: float, y: float, z: float) -> str:
        across, down = self.at(x, y, z)
        return f"{across:.1f},{down:.1f}"

    def at(self, x: float, y: float, z: float) -> tuple[float, float]:
        return (
            self.left + (x - y) * COS * self.scale,
            self.top + ((x + y) * SIN - z) * self.scale,
        )

    def face(self, *corners: tuple[float, float, float]) -> str:
        return " ".join(self.point(*corner) for corner in corners)


def carton_picture(packed: PackedCarton) -> CartonPicture:
    """Returns the picture of a carton with its items, numbered in the order in which they are put in."""
    view = _View(packed.carton.size)
    long, deep, high = packed.carton.size
    numbered = list(enumerate(packed.items, 1))
    boxes = [
        _box(view, number, item)
        for number, item in sorted(numbered, key=lambda one: (sum(one[1].at), one[1].at[2]))
    ]
    behind = " M".join(
        (
            _line(view, (0, 0, high), (0, 0, 0)),
            _line(view, (0, 0, 0), (long, 0, 0)),
            _line(view, (0, 0, 0), (0, deep, 0)),
        )
    )
    outline = [
        (0.0, 0.0, high),
        (long, 0.0, high),
        (long, 0.0, 0.0),
        (long, deep, 0.0),
        (0.0, deep, 0.0),
        (0.0, deep, high),
    ]
    layers = len({item.at[2] for item in packed.items})
    return CartonPicture(
        WIDE, HIGH, f"M{behind}", view.face(*outline, outline[0]), tuple(boxes), layers
    )


def _line(view: _View, a: tuple[float, float, float], b: tuple[float, float, float]) -> str:
    return f"{view.point(*a)} L{view.point(*b)}"


def _box(view: _View, number: int, item: PlacedItem) -> DrawnBox:
    x, y, z = item.at
    dx, dy, dz = item.size
    right, far, top = x + dx, y + dy, z + dz
    across, down = view.at(x + dx / 2, y + dy / 2, top)
    lengths = " x ".join(f"{one:g}" for one in item.size)
    return DrawnBox(
        view.face((x, y, top), (right, y, top), (right, far, top), (x, far, top)),
        view.face((x, far, top), (right, far, top), (right, far, z), (x, far, z)),
        view.face((right, y, top), (right, far, top), (right, far, z), (right, y, z)),
        number,
        round(across, 1),
        round(down + 4, 1),
        f"{number}: {item.id}, {lengths} mm",
    )
