"""`relvan solve cartons`: which cartons take an order, and where each item lies."""

from typing import Annotated, Any

from pydantic import Field, model_validator

from relvan.core.packing.cartons import (
    MOST_UNITS,
    CartonKind,
    PackedCarton,
    PackItem,
    choose_cartons,
)
from relvan.core.solving.routing import ProblemShape, Units

MOST_KINDS = 100
Name = str | int
Length = Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)]
Grams = Annotated[float, Field(ge=0, le=100_000_000, allow_inf_nan=False)]


class ItemShape(ProblemShape):
    """Items that are alike: lengths in mm, weight in g."""

    id: Name
    l: Length  # noqa: E741 - the shape of the problem is fixed
    w: Length
    h: Length
    weight_g: Grams = 0
    quantity: Annotated[int, Field(ge=1, le=MOST_UNITS, strict=True)] = 1
    this_way_up: bool = False
    fragile: bool = False


class CartonShape(ProblemShape):
    """A carton: inner lengths in mm, its own weight and the most it may weigh in g, cost in minor
    units."""

    id: Name
    l: Length  # noqa: E741 - the shape of the problem is fixed
    w: Length
    h: Length
    weight_g: Grams = 0
    max_weight_g: Grams
    cost: Units


class CartonProblem(ProblemShape):
    """Items, and the cartons of which there are as many as needed."""

    items: list[ItemShape]
    cartons: Annotated[list[CartonShape], Field(min_length=1, max_length=MOST_KINDS)]

    @model_validator(mode="after")
    def _ids_are_unique(self) -> "CartonProblem":
        for name, ids in (
            ("items", [str(one.id) for one in self.items]),
            ("cartons", [str(one.id) for one in self.cartons]),
        ):
            twice = next((one for one in ids if ids.count(one) > 1), None)
            if twice is not None:
                raise ValueError(f"{name}: “{twice}” stands there twice")
        return self


def solve_cartons(problem: Any) -> dict[str, Any]:
    """Returns `{"cost", "bound", "cartons": [{"carton", "weight_g", "fill", "items": [{"id", "x", "y",
    "z", "dx", "dy", "dz"}]}]}` with one entry for each unit. See docs/rules.md."""
    asked = CartonProblem.model_validate(problem)
    named: dict[str, Name] = {str(one.id): one.id for one in asked.items}
    kinds_named: dict[str, Name] = {str(one.id): one.id for one in asked.cartons}
    units = [
        PackItem(str(one.id), (one.l, one.w, one.h), one.weight_g, one.this_way_up, one.fragile)
        for one in asked.items
        for _ in range(one.quantity)
    ]
    kinds = [
        CartonKind(str(one.id), (one.l, one.w, one.h), one.weight_g, one.max_weight_g, one.cost)
        for one in asked.cartons
    ]
    found = choose_cartons(units, kinds)
    return {
        "cost": found.cost,
        "bound": found.bound,
        "cartons": [
            {"carton": kinds_named[one.carton.id], **_contents(one, named)} for one in found.cartons
        ],
    }


def _contents(packed: PackedCarton, named: dict[str, Name]) -> dict[str, Any]:
    names = ("x", "y", "z", "dx", "dy", "dz")
    return {
        "weight_g": _plain(packed.weight_g),
        "fill": round(packed.fill, 6),
        "items": [
            {
                "id": named[item.id],
                **dict(zip(names, map(_plain, (*item.at, *item.size)), strict=True)),
            }
            for item in packed.items
        ],
    }


def _plain(value: float) -> int | float:
    """Returns a whole number where a value is one."""
    return int(value) if float(value).is_integer() else value
