"""What kinds of pick lists there are, and in which order their picks stand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import groupby

from relvan.core.picking.places import NamedPlan
from relvan.core.picking.plan import Stop
from relvan.core.picking.route import WalkRoute, shortest_route

MOST_TRIED = 24  # stops for each of which a walk of its own is worked out


class RoundKind(StrEnum):
    """Whether a round is for one order, for many that are sorted afterwards, or for many that are
    sorted into numbered totes on the way."""

    ONE = "one"
    MANY = "many"
    TOTES = "totes"


class ListSort(StrEnum):
    """What puts the picks of a list in order: the shortest walk, the SKU, or the order they are for."""

    PLACE = "place"
    SKU = "sku"
    ORDER = "order"


@dataclass(frozen=True)
class OpenPick:
    """What puts a pick in order: its bin's code and walk number, its SKU, and its shipment."""

    bin: str | None
    walk: int
    sku: str
    shipment: int


@dataclass(frozen=True)
class RoundTrip:
    """The walk of a list: the plan, the route past the bins that lie on it, and the places in the list of
    the picks at each of its stops, and of those that are not on the plan."""

    plan: NamedPlan
    route: WalkRoute
    stops: tuple[Stop, ...]
    picks: tuple[tuple[int, ...], ...]
    off_plan: tuple[int, ...]

    @property
    def saves_m(self) -> float:
        """How much shorter it is than through every aisle that has a stop."""
        return round(self.route.every_aisle_m - self.route.length_m, 6)


def round_trip(plan: NamedPlan, bins: Sequence[str | None]) -> RoundTrip:
    """Returns the shortest walk past the bins of a list; a bin may stand there several times."""
    places: dict[Stop, list[int]] = {}
    off = []
    for at, code in enumerate(bins):
        place = plan.place(code) if code else None
        if place is None:
            off.append(at)
        else:
            places.setdefault(place, []).append(at)
    stops = list(places)
    route = shortest_route(plan.floor, stops)
    ordered = [stops[at] for at in route.order]
    return RoundTrip(
        plan,
        route,
        tuple(ordered),
        tuple(tuple(places[stop]) for stop in ordered),
        tuple(off),
    )


def ordered_picks(picks: Sequence[OpenPick], sort: ListSort, plan: NamedPlan | None) -> list[int]:
    """Returns the places of picks in the order in which they are to be walked. Without a plan, the
    walk is in the order of the bins; what is in no bin comes last."""
    if sort == ListSort.PLACE and plan is not None:
        trip = round_trip(plan, [pick.bin for pick in picks])
        by_goods = [sorted(stop, key=lambda at: _by_walk(picks[at])) for stop in trip.picks]
        on_plan = [at for stop in by_goods for at in stop]
        rest = sorted(trip.off_plan, key=lambda at: _by_walk(picks[at]))
        return [*on_plan, *rest]
    return sorted(range(len(picks)), key=lambda at: (_first(picks[at], sort), *_by_walk(picks[at])))


def _first(pick: OpenPick, sort: ListSort) -> str:
    if sort == ListSort.SKU:
        return pick.sku
    return f"{pick.shipment:012}" if sort == ListSort.ORDER else ""


def _by_walk(pick: OpenPick) -> tuple[bool, int, str, int]:
    return pick.bin is None, pick.walk, pick.sku, pick.shipment


def lengthened(
    plan: NamedPlan, visited: Sequence[Stop], others: Mapping[int, Stop]
) -> dict[int, float]:
    """Returns by how many metres each of some stops lengthens the walk past those that are visited; of
    more than `MOST_TRIED` stops, how far each is from the nearest of them."""
    floor = plan.floor
    if len(others) <= MOST_TRIED:
        base = shortest_route(floor, visited).length_m
        tried = {
            stop: shortest_route(floor, [*visited, stop]).length_m - base
            for stop in set(others.values())
        }
        return {key: tried[stop] for key, stop in others.items()}
    points = [(stop.aisle, floor.y_of(stop.bay)) for stop in visited]
    points.append((floor.start.aisle, floor.y_of_end(floor.start)))
    return {
        key: min(floor.between((stop.aisle, floor.y_of(stop.bay)), point) for point in points)
        for key, stop in others.items()
    }


def numbered_stops(picks: Sequence[tuple[str | None, str, int | None]]) -> list[int]:
    """Returns the number of the stop of each pick, given by its bin, its SKU and its tote. Picks that follow
    one another and are equal in these are taken at one stop, in one hand.

    >>> numbered_stops([("A-01", "PT-14", 1), ("A-01", "PT-14", 1), ("A-01", "PT-14", 2)])
    [1, 1, 2]
    """
    return [number for number, (_, same) in enumerate(groupby(picks), 1) for _ in same]


def totes_of(shipments: Sequence[int]) -> Mapping[int, int]:
    """Returns the number of the tote of each shipment, in the order in which the walk comes to them."""
    return {shipment: at for at, shipment in enumerate(dict.fromkeys(shipments), 1)}
