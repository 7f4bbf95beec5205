"""Says in steps why an order leaves from the warehouses that it leaves from."""

from collections.abc import Mapping, Sequence
from typing import Any

from relvan.core.orders.routing import RoutePolicy
from relvan.core.why import Why

POLICY_WORDS: Mapping[RoutePolicy, str] = {
    RoutePolicy.ONE: "whole from one warehouse, or not at all",
    RoutePolicy.SPLIT: "as up to so many shipments as are allowed",
    RoutePolicy.THERE: "from as many warehouses as it needs",
}


def why_route(routed: Mapping[str, Any], names: Mapping[int, str], chosen: Sequence[int]) -> Why:
    """Returns the steps: the rule, what each warehouse of the supply list would have left missing
    by itself, and what was chosen. `names` are those of the warehouses by their ids."""
    policy = RoutePolicy(routed["policy"])
    detail = f"at most {routed['most']} shipments" if policy == RoutePolicy.SPLIT else ""
    if routed["near"]:
        detail = f"{detail}, near ones first".removeprefix(", ")
    why = Why().then("It may leave", POLICY_WORDS[policy], detail)
    for place, (warehouse, missing) in enumerate(routed["alone"], 1):
        name = names.get(warehouse, "a warehouse that is gone")
        value = "has all of it" if not missing else f"lacks {missing}"
        why = why.then(f"{place}. {name}", value, "units that it could not send by itself")
    if not chosen:
        return why.then("Chosen", "none", "nothing is reserved")
    words = " and ".join(names.get(one, "a warehouse that is gone") for one in chosen)
    if routed.get("by_hand"):
        return why.then("Chosen", words, f"by {routed['by_hand']}, by hand")
    return why.then("Chosen", words, _reason(routed, chosen))


def _reason(routed: Mapping[str, Any], chosen: Sequence[int]) -> str:
    whole = [warehouse for warehouse, missing in routed["alone"] if not missing]
    if len(chosen) > 1:
        if whole and routed["near"]:
            return "together they stand nearer in the list than the one that has all of it"
        return "no one warehouse has all of it; these are the fewest that leave the least missing"
    if chosen[0] not in whole:
        return "it leaves the fewest units missing"
    if len(whole) == 1:
        return "it is the only one that has all of it"
    return "it is the first in the list that has all of it"
