"""`relvan solve route`: the shortest walk through a warehouse."""

from typing import Annotated, Any, Literal

from pydantic import Field

from relvan.core.picking.plan import Stop, check_stops, read_plan
from relvan.core.picking.route import shortest_route
from relvan.core.refusal import refuse_if_any
from relvan.core.solving.routing import ProblemShape

MOST_STOPS = 10_000
Whole = Annotated[int, Field(strict=True)]


class EndShape(ProblemShape):
    """One end of an aisle."""

    aisle: Whole = 0
    end: Literal["front", "back"] = "front"


class StopShape(ProblemShape):
    """A place at which something is taken."""

    aisle: Whole
    bay: Whole


class RouteProblem(ProblemShape):
    """The plan of a warehouse with the stops of one walk; lengths are in metres."""

    aisles: Whole
    bays: Whole
    bay_m: float = 1.0
    aisle_pitch_m: float = 5.0
    cross_off_m: float = 1.0
    cross_aisles: list[float] = []
    start: EndShape = EndShape()
    drop: EndShape | None = None
    stops: Annotated[list[StopShape], Field(max_length=MOST_STOPS)]


def solve_route(problem: Any) -> dict[str, Any]:
    """Returns `{"length_m", "order", "path", "proof": "exact" or "bound", "bound_m",
    "every_aisle_m"}`, with `order` as places of stops counted from 0. See docs/rules.md."""
    asked = RouteProblem.model_validate(problem)
    plan = read_plan(asked.model_dump(exclude={"stops"}))
    stops = [Stop(one.aisle, one.bay) for one in asked.stops]
    refuse_if_any(check_stops(plan, stops))
    found = shortest_route(plan, stops)
    return {
        "length_m": found.length_m,
        "order": list(found.order),
        "path": [list(point) for point in found.path],
        "proof": "exact" if found.exact else "bound",
        "bound_m": found.bound_m,
        "every_aisle_m": found.every_aisle_m,
    }
