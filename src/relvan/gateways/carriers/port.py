"""Defines what any parcel carrier can be asked. Every call may raise `OutsideTrouble` or
`OutsideRefusal`.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

from relvan.core.orders.intake import Address
from relvan.core.shipping.accounts import LabelFormat, LabelSize
from relvan.core.shipping.carriage import Extras
from relvan.core.shipping.customs import CustomsLine
from relvan.core.shipping.tracking import ParcelStage


@dataclass(frozen=True)
class CarriageAsk:
    """A parcel for which a carrier is asked: from where and to where, its weight in grams, its length, width
    and height in millimetres where they are known, the value of its goods in minor units, what is wanted
    besides, and the day (ISO 8601) on which the carrier collects it; empty for today."""

    sender: Address
    to: Address
    weight_g: int
    size_mm: tuple[int, int, int] | None = None
    value: int = 0
    currency: str = "EUR"
    extras: Extras = Extras()
    collected_on: str = ""


@dataclass(frozen=True)
class LabelWish:
    """A label that is to be bought: the key under which it is bought once, the service, the parcel, the
    sender's reference on it, the file and paper of the label, and what customs are told where they ask,
    with the sender's number there."""

    key: str
    service: str
    ask: CarriageAsk
    reference: str = ""
    form: LabelFormat = LabelFormat.PDF
    size: LabelSize = LabelSize.A6
    customs: tuple[CustomsLine, ...] = ()
    eori: str = ""


@dataclass(frozen=True)
class CarrierAccount:
    """An account at a carrier: whose it is, and the services that it may use, as key and name."""

    holder: str
    services: dict[str, str]


@dataclass(frozen=True)
class Quote:
    """A service that takes a parcel: its key, name, price in minor units, and the day of arrival
    (ISO 8601).
    """

    service: str
    name: str
    price: int
    currency: str
    arrives: str


@dataclass(frozen=True)
class BoughtLabel:
    """A label that has been bought: its tracking number, its price, the address at which buyers follow
    the parcel, and the day of arrival (ISO 8601, nothing where the carrier says none).
    """

    tracking_number: str
    price: int
    currency: str
    track_path: str
    arrives: str = ""


@dataclass(frozen=True)
class CarrierEvent:
    """Something that happened to a parcel: when, what stage it reached, and the carrier's own words."""

    at: datetime
    stage: ParcelStage
    words: str


@dataclass(frozen=True)
class Charge:
    """What a carrier charges for a parcel in minor units, with its reason where it differs."""

    tracking_number: str
    price: int
    currency: str
    reason: str


class CarrierGateway(Protocol):
    """A carrier, as services call it."""

    def account(self) -> CarrierAccount:
        """Returns whose account this is, and its services."""
        ...

    def quotes(self, ask: CarriageAsk) -> list[Quote]:
        """Returns the services that take a parcel."""
        ...

    def buy_label(self, wish: LabelWish) -> BoughtLabel:
        """Buys one label under a key. The same key never buys a second one."""
        ...

    def find_label(self, key: str) -> BoughtLabel | None:
        """Returns the label that was bought under a key, or None."""
        ...

    def label_file(self, tracking_number: str) -> bytes:
        """Returns the label in the format in which it was bought."""
        ...

    def void_label(self, tracking_number: str) -> None:
        """Voids a label that stands on no manifest, so that it is not paid. Voided again, it stays so."""
        ...

    def close_manifest(self, key: str, tracking_numbers: Sequence[str]) -> str:
        """Hands over the parcels of a day under a key, and returns the number of the manifest. The same
        key never makes a second one."""
        ...

    def track(self, tracking_numbers: Sequence[str]) -> dict[str, list[CarrierEvent]]:
        """Returns what has happened to parcels, the oldest first; those that the carrier does not know
        are left out."""
        ...

    def charges(self, manifest: str) -> list[Charge] | None:
        """Returns what the carrier charges for the parcels of a manifest, or None while its bill is not
        written."""
        ...

    def close(self) -> None:
        """Closes connections."""
        ...
