"""How a channel's orders are taken in and routed: what happens to unpaid ones, from how many
warehouses one may leave, who is served first, and in which tray they start.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from relvan.core.mail.texts import MailEvent
from relvan.core.orders.routing import RoutePolicy, RouteRule
from relvan.core.orders.scarce import ServeBy
from relvan.core.orders.trays import Tray
from relvan.core.refusal import Refusal

MOST_SHIPMENTS = 20
# the events of which customers can be mailed by themselves
MAILED = tuple(
    str(event) for event in MailEvent if event not in (MailEvent.ESTIMATE, MailEvent.BY_HAND)
)


class Unpaid(StrEnum):
    """What happens to orders that are not paid: they are left out until they are, taken and held
    until they are, or taken like all others."""

    LEAVE = "leave"
    HOLD = "hold"
    TAKE = "take"


@dataclass(frozen=True)
class OrderPolicy:
    """How the orders of a channel are taken in and routed. An empty `tray` means the Inbox. `mails`
    are the events of which its customers are mailed by us, and not by the channel alone.
    `collected` says that the channel collects the tax and pays it itself."""

    unpaid: Unpaid = Unpaid.HOLD
    routing: RouteRule = RouteRule()
    serve_by: ServeBy = ServeBy.AGE
    tray: str = ""
    mails: tuple[str, ...] = ()
    collected: bool = False

    def as_dict(self) -> dict[str, Any]:
        """Returns the policy as plain data."""
        return {
            "unpaid": str(self.unpaid),
            "routing": str(self.routing.policy),
            "most": self.routing.most,
            "prefer_near": self.routing.prefer_near,
            "serve_by": str(self.serve_by),
            "tray": self.tray,
            "mails": list(self.mails),
            "collected": self.collected,
        }


USUAL = OrderPolicy()


def read_order_policy(told: Mapping[str, Any]) -> OrderPolicy:
    """Reads a policy from plain data that was saved; what is not there is as usual."""
    usual = {**USUAL.as_dict(), **told}
    rule = RouteRule(RoutePolicy(usual["routing"]), usual["most"], usual["prefer_near"])
    return OrderPolicy(
        Unpaid(usual["unpaid"]),
        rule,
        ServeBy(usual["serve_by"]),
        usual["tray"],
        tuple(usual["mails"]),
        usual["collected"],
    )


def check_policy_wish(told: Mapping[str, Any], trays: Collection[str]) -> list[Refusal]:
    """Checks a policy as somebody wishes it; every value must be readable and allowed."""
    found = []
    for name, allowed in (
        ("unpaid", list(Unpaid)),
        ("routing", list(RoutePolicy)),
        ("serve_by", list(ServeBy)),
    ):
        if name in told and told[name] not in allowed:
            message = f"“{name}” must be one of {', '.join(allowed)}; it got “{told[name]}”."
            found.append(Refusal("not-allowed", message, "Choose one of them.", name))
    most = told.get("most", 2)
    if not isinstance(most, int) or isinstance(most, bool) or not 1 <= most <= MOST_SHIPMENTS:
        message = f"“Shipments at most” must be 1 to {MOST_SHIPMENTS}; it got {most}."
        found.append(Refusal("out-of-range", message, "Correct it.", "most"))
    if not isinstance(told.get("prefer_near", False), bool):
        found.append(
            Refusal("form", "“Prefer near” must be yes or no.", "Correct it.", "prefer_near")
        )
    if not isinstance(told.get("collected", False), bool):
        found.append(Refusal("form", "“Collected” must be yes or no.", "Correct it.", "collected"))
    mails = told.get("mails", [])
    if not isinstance(mails, list) or not set(map(str, mails)) <= {*MAILED}:
        message = f"“Mails” must be a list of {', '.join(MAILED)}."
        found.append(Refusal("not-allowed", message, "Leave out the others.", "mails"))
    tray = told.get("tray", "")
    if tray and (tray not in trays or tray in (Tray.CANCELLED, Tray.CLOSED)):
        message = f"Orders cannot start in “{str(tray)[:30]}”."
        found.append(Refusal("not-allowed", message, "Choose another tray.", "tray"))
    unknown = told.keys() - USUAL.as_dict().keys()
    if unknown:
        message = f"An order policy has no “{sorted(unknown)[0]}”."
        found.append(Refusal("unknown", message, "Leave it out.", "orders"))
    return found
