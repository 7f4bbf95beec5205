"""The walk of a pick list over the plan of its warehouse."""

from dataclasses import dataclass

from relvan.core.picking.lists import RoundTrip, round_trip
from relvan.core.picking.places import read_named_plan
from relvan.services.workplace import Workplace
from relvan.store.dispatch import PickRow, pick_list_by_id, pick_rows
from relvan.store.stock import warehouse_by_id


@dataclass(frozen=True)
class ListRoute:
    """The shortest walk of a pick list with its picks in their order; None while the warehouse has no
    plan."""

    trip: RoundTrip | None
    picks: tuple[PickRow, ...]


def route_of_list(workplace: Workplace, pick_list_id: int) -> ListRoute:
    """Returns the walk of a pick list past all of its bins."""
    with workplace.database.reading() as session:
        pick_list = pick_list_by_id(session, pick_list_id)
        warehouse = warehouse_by_id(session, pick_list.warehouse_id)
        picks = tuple(pick_rows(session, pick_list_id))
    if not warehouse.plan:
        return ListRoute(None, picks)
    return ListRoute(
        round_trip(read_named_plan(warehouse.plan), [pick.bin for pick in picks]), picks
    )
