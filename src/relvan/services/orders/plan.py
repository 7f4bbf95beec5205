"""Plans from which warehouses orders are served, one after the other, each from what those before it
leave free. Nothing is changed here.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from relvan.core.orders.routing import EVERYTHING, Route, RouteRule, RouteSource, route
from relvan.core.orders.routing_why import why_route
from relvan.core.stock.reserving import ReservationPlan, Want
from relvan.core.why import Why
from relvan.store.centres import whole_only_places
from relvan.store.channels import order_policies, supply_lists_of
from relvan.store.orders import lines_of, reservations_of
from relvan.store.session import Session
from relvan.store.stock import balances_of, warehouses
from relvan.store.tables import Order, OrderLine, Reservation


@dataclass(frozen=True)
class RoutedPlan:
    """What is promised to an order and what is missing, with what was considered when its warehouses
    were chosen, as it is kept on the order."""

    plan: ReservationPlan
    considered: dict[str, Any]


class Supply:
    """What is free of some products, and which warehouses may serve the orders of some channels; with
    `anywhere` also warehouses that do not feed a channel."""

    def __init__(
        self,
        session: Session,
        product_ids: Collection[int],
        channel_ids: Collection[int | None],
        *,
        anywhere: bool = False,
    ) -> None:
        self._free = {
            (product_id, warehouse_id): balance.free
            for product_id, by_warehouse in balances_of(session, product_ids).items()
            for warehouse_id, balance in by_warehouse.items()
        }
        self._lists = supply_lists_of(session, channel_ids, anywhere=anywhere)
        self._policies = order_policies(session, channel_ids)
        self._whole_only = whole_only_places(session)
        self._anywhere = anywhere

    def plan(
        self,
        wants: Sequence[Want],
        channel_id: int | None,
        warehouse_id: int | None = None,
        *,
        part: bool = False,
    ) -> RoutedPlan:
        """Plans one order and takes what it gets from what is free. An order that cannot have
        everything takes nothing, or with `part` what there is. `warehouse_id` is the only warehouse
        that it may leave from, if a person chose one."""
        sources = [
            RouteSource(place, whole_only=place in self._whole_only)
            for place in self._lists[channel_id]
            if self._anywhere or warehouse_id in (None, place)
        ]
        rule = EVERYTHING if self._anywhere else self._policies[channel_id].routing
        found = route(wants, self._free, sources, rule)
        if found.plan.whole or part:
            for promise in found.plan.promises:
                self._free[promise.product, promise.warehouse] -= promise.quantity
        return RoutedPlan(found.plan, _considered(found, rule))


def _considered(found: Route, rule: RouteRule) -> dict[str, Any]:
    return {
        "alone": [list(one) for one in found.alone],
        "policy": str(rule.policy),
        "most": rule.most,
        "near": rule.prefer_near,
    }


@dataclass(frozen=True)
class PlannedReservations:
    """A plan for each of several orders by its id, with the lines by order and the reservations by
    line that it was made from, and what was considered when warehouses were chosen."""

    plans: dict[int, ReservationPlan]
    lines: dict[int, list[OrderLine]]
    held: dict[int, list[Reservation]]
    routed: dict[int, dict[str, Any]] = field(default_factory=dict)

    @property
    def products(self) -> set[int]:
        """The products of all lines."""
        return {
            line.product_id
            for found in self.lines.values()
            for line in found
            if line.product_id is not None
        }


def plan_reservations(
    session: Session, orders: Sequence[Order], *, part: bool = False, anywhere: bool = False
) -> PlannedReservations:
    """Plans the reservation of saved orders one after the other, each from what those before it leave
    free. An order that cannot be reserved whole takes nothing, or with `part` what there is."""
    ids = [order.id for order in orders]
    planned = PlannedReservations({}, lines_of(session, ids), reservations_of(session, ids))
    channels = {order.channel_id for order in orders}
    supply = Supply(session, planned.products, channels, anywhere=anywhere)
    for order in orders:
        wants = wants_of_lines(planned.lines[order.id], planned.held)
        found = supply.plan(wants, order.channel_id, order.warehouse_id, part=part)
        planned.plans[order.id], planned.routed[order.id] = found.plan, found.considered
    return planned


def wants_of(session: Session, order: Order) -> list[Want]:
    """Returns what of an order is promised from nowhere yet."""
    lines = lines_of(session, [order.id])[order.id]
    return wants_of_lines(lines, reservations_of(session, [order.id]))


def wants_of_lines(
    lines: Sequence[OrderLine], held: Mapping[int, Sequence[Reservation]]
) -> list[Want]:
    """Returns what of the lines of an order is promised from nowhere yet; `held` are their
    reservations by line."""
    units = {line.id: line.quantity for line in lines}
    return [
        Want(line.id, line.product_id, wanted, *_together(line, units))
        for line in lines
        if line.product_id is not None
        and line.stocked
        and (wanted := _still_wanted(line, held.get(line.id, []))) > 0
    ]


def _together(line: OrderLine, units: Mapping[int, int]) -> tuple[int | None, int]:
    """Returns the kit whose parts must come from one warehouse with this line, and the units of it
    in one kit."""
    if line.part_of is None or line.apart:
        return None, 1
    return line.part_of, line.quantity // units[line.part_of]


def _still_wanted(line: OrderLine, held: Sequence[Reservation]) -> int:
    return line.quantity - line.shipped - sum(reservation.quantity for reservation in held)


def why_of_route(session: Session, order: Order) -> Why:
    """Returns why an order leaves from where it does; no steps where nothing was chosen yet."""
    if not order.routed:
        return Why()
    held = reservations_of(session, [order.id])
    names = {warehouse.id: warehouse.name for warehouse in warehouses(session)}
    chosen = dict.fromkeys(one.warehouse_id for some in held.values() for one in some)
    return why_route(order.routed, names, list(chosen))
