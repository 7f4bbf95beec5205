"""What any parcel carrier can be asked. Every call may raise `OutsideTrouble` or
`OutsideRefusal`."""

from dataclasses import dataclass
from typing import Protocol

from relvan.core.orders.intake import Address


@dataclass(frozen=True)
class Quote:
    """A service that takes a parcel: its key, name, price in minor units, and the day it arrives
    (ISO 8601)."""

    service: str
    name: str
    price: int
    currency: str
    arrives: str


@dataclass(frozen=True)
class BoughtLabel:
    """A label that has been bought: tracking number, what it cost, where buyers follow it."""

    tracking_number: str
    price: int
    currency: str
    track_path: str


class CarrierGateway(Protocol):
    """A carrier."""

    def test(self) -> str:
        """Whose account this is."""
        ...

    def quotes(self, to: Address, weight_g: int) -> list[Quote]:
        """The services that take a parcel of this weight to that address."""
        ...

    def buy_label(
        self, key: str, service: str, sender: Address, to: Address, weight_g: int, note: str
    ) -> BoughtLabel:
        """Buy one label under a key; the same key never buys a second one."""
        ...

    def find_label(self, key: str) -> BoughtLabel | None:
        """The label bought under a key; none when nothing was."""
        ...

    def label_file(self, tracking_number: str) -> bytes:
        """The label as PDF."""
        ...

    def close(self) -> None:
        """Let go of connections."""
        ...
