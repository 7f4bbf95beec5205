"""Warehouses: what is known of one, and when carriers call there."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from enum import StrEnum
from typing import Any

from relvan.core.catalogue.checks import check_text
from relvan.core.orders.intake import Address
from relvan.core.refusal import Refusal, refuse
from relvan.core.setup.firm import MOST_NAME, check_postal_address, tidy_address
from relvan.core.stock.movements import MOST_UNITS

KEY = "^[a-z][a-z0-9-]{0,39}$"
CLOCK = re.compile(r"([01]\d|2[0-3]):[0-5]\d")
TAKES, HAND_OVER = ("part", "whole"), ("by-hand", "by-itself")
DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


class WarehouseKind(StrEnum):
    """Whose a warehouse is: our own, or a marketplace's centre that ships for us."""

    OWN = "own"
    CENTRE = "centre"


@dataclass(frozen=True)
class PickUp:
    """When carriers call: days of the week, 0 for Monday, and the time until which a parcel still
    leaves on the day, as HH:MM; both empty when it is not known.
    """

    days: tuple[int, ...] = ()
    cut_off: str = ""

    @classmethod
    def read(cls, told: Mapping[str, Any]) -> "PickUp":
        """Reads it from plain data."""
        return cls(tuple(sorted(set(told.get("days", ())))), str(told.get("cut_off", "")).strip())

    def as_dict(self) -> dict[str, Any]:
        """Returns it as plain data."""
        return {"days": list(self.days), "cut_off": self.cut_off}

    def next_cut_off(self, now: datetime) -> datetime | None:
        """Returns the next moment until which a parcel still leaves, by the clock of `now`, or None
        when it is not known.

        >>> from datetime import datetime
        >>> PickUp((0, 4), "16:00").next_cut_off(datetime(2026, 11, 27, 17)).isoformat()
        '2026-11-30T16:00:00'
        """
        if not self.days or not self.cut_off:
            return None
        hour, _, minute = self.cut_off.partition(":")
        for later in range(8):
            day = now + timedelta(days=later)
            end = day.replace(hour=int(hour), minute=int(minute), second=0, microsecond=0)
            if end.weekday() in self.days and end > now:
                return end
        return None

    @property
    def words(self) -> str:
        """Says it in words.

        >>> PickUp((0, 1, 2, 3, 4), "16:00").words
        'Mon to Fri until 16:00'
        """
        if not self.days:
            return ""
        first, last = self.days[0], self.days[-1]
        whole = len(self.days) > 2 and last - first == len(self.days) - 1
        days = f"{DAYS[first]} to {DAYS[last]}" if whole else ", ".join(DAYS[d] for d in self.days)
        return f"{days} until {self.cut_off}" if self.cut_off else days


@dataclass(frozen=True)
class WarehouseFacts:
    """What is known of a warehouse; the address is the sender on labels. `safety` are the units of
    each product that are kept back there, unless the product has its own number. A centre names its
    channel and what that calls it; `takes` says whether it takes whole orders only or parts, and
    `hand_over` whether orders get there by-itself or by-hand."""

    key: str
    name: str
    kind: WarehouseKind = WarehouseKind.OWN
    address: Address = field(default_factory=Address)
    pick_up: PickUp = field(default_factory=PickUp)
    safety: int = 0
    channel: str = ""
    centre: str = ""
    takes: str = "part"
    hand_over: str = "by-hand"

    def changed(self, wish: Mapping[str, Any]) -> "WarehouseFacts":
        """Returns the facts with those changed that a wish names; the key stays."""
        facts = self
        if "name" in wish:
            facts = replace(facts, name=str(wish["name"]).strip())
        if "kind" in wish:
            if wish["kind"] not in set(WarehouseKind):
                message = f"“Whose it is” must be own or centre; it got “{str(wish['kind'])[:20]}”."
                raise refuse("not-allowed", message, "Choose one.", "kind")
            facts = replace(facts, kind=WarehouseKind(wish["kind"]))
        if "address" in wish:
            parts = {**facts.address.as_dict(), **wish["address"]}
            facts = replace(facts, address=tidy_address(Address.read(parts)))
        if "pick_up" in wish:
            facts = replace(
                facts, pick_up=PickUp.read({**facts.pick_up.as_dict(), **wish["pick_up"]})
            )
        told: dict[str, Any] = {
            name: str(wish[name] or "").strip()
            for name in ("channel", "centre", "takes", "hand_over")
            if name in wish
        }
        facts = replace(facts, **told)
        if "safety" in wish:
            facts = replace(facts, safety=int(wish["safety"]))
        return facts


def check_warehouse(facts: WarehouseFacts) -> list[Refusal]:
    """Checks what is known of a warehouse."""
    found = check_text("name", "Name", facts.name, MOST_NAME, needed=True)
    if not re.fullmatch(KEY, facts.key):
        message = f"“Key” must be small letters, digits and dashes; it got “{facts.key[:40]}”."
        found.append(Refusal("form", message, "Like yard or north-hall.", "warehouse"))
    found += check_postal_address(facts.address, "address_")
    if facts.pick_up.cut_off and not CLOCK.fullmatch(facts.pick_up.cut_off):
        message = f"“Until” must be a time of day; it got “{facts.pick_up.cut_off[:20]}”."
        found.append(Refusal("form", message, "Type it like 16:00.", "cut_off"))
    if not all(0 <= day <= 6 for day in facts.pick_up.days):
        message = "“Days” must be numbers from 0 for Monday to 6 for Sunday."
        found.append(Refusal("range", message, "Type them like 0, 1, 2, 3, 4.", "days"))
    found += check_text("centre", "Called there", facts.centre, 40)
    for name, label, allowed in (
        ("takes", "It takes", TAKES),
        ("hand_over", "Orders get there", HAND_OVER),
    ):
        if getattr(facts, name) not in allowed:
            message = f"“{label}” must be one of {', '.join(allowed)}."
            found.append(Refusal("not-allowed", message, "Choose one.", name))
    if bool(facts.channel) != bool(facts.centre) or (facts.channel and facts.kind != "centre"):
        message = "A centre names both its channel and what that calls it; our own names neither."
        found.append(Refusal("missing", message, "Fill in both, or leave both empty.", "centre"))
    if not 0 <= facts.safety <= MOST_UNITS:
        message = f"“Safety stock” must be 0 to {MOST_UNITS:,}; it got {facts.safety:,}."
        found.append(Refusal("range", message, "Correct the number.", "safety"))
    return found


def key_from(name: str) -> str:
    """Returns a key made of a name.

    >>> key_from("Yard, Unit 4")
    'yard-unit-4'
    """
    return re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:40]
