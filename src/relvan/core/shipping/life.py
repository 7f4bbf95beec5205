"""The life of a shipment, a pick list and a parcel, as tables: states, and the events that move them."""

from collections.abc import Mapping

from relvan.core.refusal import refuse

Table = Mapping[str, Mapping[str, str]]

SHIPMENT: Table = {
    "to pick": {"list": "picking", "cancel": "cancelled"},
    "picking": {"picked": "to pack", "none picked": "cancelled", "unlist": "to pick"},
    "to pack": {"all packed": "to ship", "pick again": "picking"},
    "to ship": {"unpack": "to pack", "dispatch": "dispatched"},
    "dispatched": {},
    "cancelled": {"pick again": "picking"},
}
PICK_LIST: Table = {
    "open": {"finish": "done", "cancel": "cancelled"},
    "done": {"reopen": "open"},
    "cancelled": {},
}
OPEN_SHIPMENTS = ("to pick", "picking", "to pack", "to ship")


def move(table: Table, thing: str, state: str, event: str) -> str:
    """The state after an event. Refused, naming what is allowed, when the table has no such way."""
    allowed = table[state]
    if event not in allowed:
        can = ", ".join(allowed) or "nothing more"
        message = f"{thing} is “{state}”: “{event}” cannot happen to it."
        raise refuse("wrong-state", message, f"What can: {can}.")
    return allowed[event]
