"""Draws the progress of an order: a stream of goods as wide as the units ordered, which narrows
where units are still missing, and below it a thin stream of money."""

from collections.abc import Sequence
from dataclasses import dataclass

STEP_X = 290
GOODS_HIGH = 40
MONEY_HIGH = 10
LEAST_SEEN = 1.5


@dataclass(frozen=True)
class FlowStep:
    """One step of a stream: its name, how much has come so far (units, or minor units of money),
    and where it is drawn."""

    label: str
    reached: int
    x: int
    high: float


@dataclass(frozen=True)
class Stream:
    """A stream of `whole` units or minor units: its steps from left to right, and its outline as an
    SVG path."""

    whole: int
    steps: tuple[FlowStep, ...]
    path: str


@dataclass(frozen=True)
class OrderFlow:
    """Both streams of an order; `wide` is the width of the drawing in its own units."""

    goods: Stream
    money: Stream
    wide: int


def flow_of(
    goods: Sequence[tuple[str, int]],
    money: Sequence[tuple[str, int]],
    *,
    goods_y: float = 44,
    money_y: float = 100,
) -> OrderFlow:
    """Returns the drawing of steps, (label, how much) each; the first step of each stream is the
    whole. `goods_y` and `money_y` are the middles of the two streams.

    >>> flow_of([("ordered", 4), ("reserved", 2)], [("total", 100), ("paid", 100)]).goods.steps[1].high
    20.0
    """
    wide = STEP_X * max(len(goods), len(money))
    return OrderFlow(_stream(goods, goods_y, GOODS_HIGH), _stream(money, money_y, MONEY_HIGH), wide)


def _stream(parts: Sequence[tuple[str, int]], middle: float, most: float) -> Stream:
    whole = parts[0][1]
    steps = tuple(
        FlowStep(label, reached, STEP_X * place, _high(reached, whole, most))
        for place, (label, reached) in enumerate(parts)
    )
    return Stream(whole, steps, _outline(steps, middle))


def _high(reached: int, whole: int, most: float) -> float:
    """Returns how thick the stream is; even a little that has come must be visible."""
    if reached <= 0 or whole <= 0:
        return 0.0
    return max(LEAST_SEEN, round(most * min(reached, whole) / whole, 1))


def _outline(steps: Sequence[FlowStep], middle: float) -> str:
    """Returns the outline: along the upper edge from left to right and back along the lower one,
    with a bend between two steps."""
    there, back = [f"M0 {middle - steps[0].high / 2:.1f}"], []
    for at, step in enumerate(steps):
        end = step.x + STEP_X
        following = steps[at + 1].high if at + 1 < len(steps) else step.high
        flat = end - 90 if at + 1 < len(steps) else end
        up, down = middle - step.high / 2, middle + step.high / 2
        next_up, next_down = middle - following / 2, middle + following / 2
        bend = (flat + end) / 2
        there.append(
            f"L{flat} {up:.1f}C{bend:.0f} {up:.1f} {bend:.0f} {next_up:.1f} {end} {next_up:.1f}"
        )
        back.append(
            f"C{bend:.0f} {next_down:.1f} {bend:.0f} {down:.1f} {flat} {down:.1f}L{step.x} {down:.1f}"
        )
    last = steps[-1]
    return "".join(
        [*there, f"L{last.x + STEP_X} {middle + last.high / 2:.1f}", *reversed(back), "Z"]
    )
