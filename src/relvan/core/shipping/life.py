"""The states of a shipment and of a pick list, and the events that lead from one to the next, as
tables."""

from collections.abc import Mapping
from enum import StrEnum
from typing import TypeVar

from relvan.core.refusal import refuse


class ShipmentState(StrEnum):
    """How far a shipment has come on its way out of the warehouse."""

    TO_PICK = "to pick"
    PICKING = "picking"
    TO_PACK = "to pack"
    TO_SHIP = "to ship"
    TO_HAND_OVER = "to hand over"
    HANDING_OVER = "being handed over"
    HANDED_OVER = "handed over"
    DISPATCHED = "dispatched"
    CANCELLED = "cancelled"


class PickListState(StrEnum):
    """Whether a pick list is still being worked on."""

    DRAFT = "draft"
    OPEN = "open"
    DONE = "done"
    CANCELLED = "cancelled"


State = TypeVar("State", ShipmentState, PickListState)
Table = Mapping[str, Mapping[str, State]]

_S, _L = ShipmentState, PickListState
SHIPMENT: Table[ShipmentState] = {
    _S.TO_PICK: {"list": _S.PICKING, "cancel": _S.CANCELLED, "put back": _S.CANCELLED},
    _S.PICKING: {
        "picked": _S.TO_PACK,
        "none picked": _S.CANCELLED,
        "unlist": _S.TO_PICK,
        "put back": _S.CANCELLED,
    },
    _S.TO_PACK: {
        "all packed": _S.TO_SHIP,
        "pick again": _S.PICKING,
        "put back": _S.CANCELLED,
    },
    _S.TO_SHIP: {"unpack": _S.TO_PACK, "dispatch": _S.DISPATCHED, "put back": _S.CANCELLED},
    _S.TO_HAND_OVER: {
        "hand over": _S.HANDING_OVER,
        "cancel": _S.CANCELLED,
        "put back": _S.CANCELLED,
    },
    _S.HANDING_OVER: {"taken": _S.HANDED_OVER, "refused": _S.TO_HAND_OVER},
    _S.HANDED_OVER: {"dispatch": _S.DISPATCHED, "recalled": _S.CANCELLED},
    _S.DISPATCHED: {},
    _S.CANCELLED: {"pick again": _S.PICKING},
}
PICK_LIST: Table[PickListState] = {
    _L.DRAFT: {"confirm": _L.OPEN, "cancel": _L.CANCELLED},
    _L.OPEN: {"finish": _L.DONE, "cancel": _L.CANCELLED},
    _L.DONE: {"reopen": _L.OPEN},
    _L.CANCELLED: {},
}
LISTS_TO_WALK = (_L.DRAFT, _L.OPEN)
WITH_CENTRE = (_S.HANDING_OVER, _S.HANDED_OVER)
OPEN_SHIPMENTS = (_S.TO_PICK, _S.PICKING, _S.TO_PACK, _S.TO_SHIP, _S.TO_HAND_OVER, *WITH_CENTRE)
NOT_PICKED_YET = (_S.TO_PICK, _S.PICKING, _S.TO_HAND_OVER)


def move(table: Table[State], thing: str, state: str, event: str) -> State:
    """Returns the state after an event. An event that the table does not allow is refused; the
    refusal names those that are allowed."""
    allowed = table[state]
    if event not in allowed:
        can = ", ".join(allowed) or "nothing more"
        message = f"{thing} is “{state}”: “{event}” cannot happen to it."
        raise refuse("wrong-state", message, f"What can: {can}.")
    return allowed[event]
