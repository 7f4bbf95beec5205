"""`relvan solve reserve`: which orders get goods that are not enough for all of them."""

from datetime import UTC, date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from relvan.core.orders.scarce import ServeBy, WaitingOrder, choose_served
from relvan.core.solving.routing import ProblemShape, Units

SECONDS = 60.0


class OrderShape(ProblemShape):
    """An order that waits: the units that it wants by SKU, and its value in minor units."""

    id: str | int
    placed: datetime | date
    promised: datetime | date | None = None
    value: Units = 0
    lines: Annotated[
        dict[str, Annotated[int, Field(ge=1, le=1_000_000_000, strict=True)]], Field(min_length=1)
    ]


class ReserveProblem(ProblemShape):
    """What is free by SKU, and the orders that want it."""

    free: dict[str, Units]
    orders: list[OrderShape]
    by: Literal["age", "most", "money"] = "age"

    @model_validator(mode="after")
    def _ids_are_unique(self) -> "ReserveProblem":
        seen = set[str]()
        for order in self.orders:
            if str(order.id) in seen:
                raise ValueError(f"orders: “{order.id}” stands there twice")
            seen.add(str(order.id))
        return self


def solve_reserve(problem: Any) -> dict[str, Any]:
    """Returns `{"whole": [ids], "proof": "exact" or "bound", "bound": n}`. With `proof` exact,
    `bound` is what the choice reaches: orders, or with `by` money minor units."""
    asked = ReserveProblem.model_validate(problem)
    ids = {str(order.id): order.id for order in asked.orders}
    orders = [
        WaitingOrder(
            str(order.id),
            _moment(order.placed),
            order.value,
            order.lines,
            order.promised and _moment(order.promised),
        )
        for order in asked.orders
    ]
    choice = choose_served(asked.free, orders, ServeBy(asked.by), seconds=SECONDS)
    return {
        "whole": [ids[key] for key in choice.whole],
        "proof": "exact" if choice.exact else "bound",
        "bound": choice.bound,
    }


def _moment(placed: datetime | date) -> datetime:
    """Returns the moment of a date or of a time without a zone in UTC."""
    moment = placed if isinstance(placed, datetime) else datetime(*placed.timetuple()[:3])
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
