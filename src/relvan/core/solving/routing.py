"""`relvan solve routing`: from which warehouses an order leaves."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from relvan.core.orders.routing import RoutePolicy, RouteRule, RouteSource, route, warehouses_of
from relvan.core.stock.reserving import Want

Units = Annotated[int, Field(ge=0, le=1_000_000_000, strict=True)]
MOST_WAREHOUSES = 200


class ProblemShape(BaseModel):
    """Plain data whose keys are all known."""

    model_config = ConfigDict(extra="forbid")


class LineShape(ProblemShape):
    """One line of an order."""

    sku: Annotated[str, Field(min_length=1)]
    quantity: Annotated[int, Field(ge=1, le=1_000_000_000, strict=True)]


class WarehouseShape(ProblemShape):
    """A warehouse of the supply list with what is free there."""

    key: Annotated[str, Field(min_length=1)]
    free: dict[str, Units]
    carriage: Units = 0
    whole_orders_only: bool = False


class RoutingProblem(ProblemShape):
    """One order, the supply list in its order, and the policy of the channel."""

    lines: Annotated[list[LineShape], Field(min_length=1)]
    warehouses: Annotated[list[WarehouseShape], Field(max_length=MOST_WAREHOUSES)]
    policy: Literal["one", "split", "there"] = "split"
    most: Annotated[int, Field(ge=1, strict=True)] = 2
    prefer_near: bool = False

    @model_validator(mode="after")
    def _keys_are_unique(self) -> "RoutingProblem":
        keys = [warehouse.key for warehouse in self.warehouses]
        twice = next((key for key in keys if keys.count(key) > 1), None)
        if twice is not None:
            raise ValueError(f"warehouses: “{twice}” stands there twice")
        return self


def solve_routing(problem: Any) -> dict[str, Any]:
    """Returns `{"shipments": [{"warehouse", "lines": [{"sku", "quantity"}]}], "missing": {sku: n}}`."""
    asked = RoutingProblem.model_validate(problem)
    skus = list(dict.fromkeys(line.sku for line in asked.lines))
    number = {sku: at for at, sku in enumerate(skus)}
    wants = [Want(at, number[line.sku], line.quantity) for at, line in enumerate(asked.lines)]
    free = {
        (number[sku], at): units
        for at, warehouse in enumerate(asked.warehouses)
        for sku, units in warehouse.free.items()
        if sku in number
    }
    sources = [
        RouteSource(at, warehouse.carriage, warehouse.whole_orders_only)
        for at, warehouse in enumerate(asked.warehouses)
    ]
    rule = RouteRule(RoutePolicy(asked.policy), asked.most, asked.prefer_near)
    plan = route(wants, free, sources, rule).plan
    missing: dict[str, int] = {}
    for gone in plan.missing:
        missing[skus[gone.product]] = missing.get(skus[gone.product], 0) + gone.quantity
    shipments = [
        {
            "warehouse": asked.warehouses[at].key,
            "lines": [
                {"sku": skus[promise.product], "quantity": promise.quantity} for promise in promises
            ],
        }
        for at, promises in sorted(warehouses_of(plan))
    ]
    return {"shipments": shipments, "missing": missing}
