"""What any channel can be asked and told, in our words. An adapter translates to its dialect.

Every call may raise `OutsideTrouble` (try again) or `OutsideRefusal` (it said no).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Literal, NamedTuple, Protocol

from relvan.core.money import Money
from relvan.core.orders.intake import IncomingOrder


@dataclass(frozen=True)
class PictureFile:
    """A picture to send: its SHA-256, its media type, and where its bytes lie."""

    sha: str
    kind: str
    path: Path


@dataclass(frozen=True)
class Offer:
    """Everything a listing says: the rulebook's fields by name, price, units, pictures in order.

    The head of a family's page has traits without values, and neither price nor units; a member has
    its values on them, and the reference of its head.
    """

    sku: str
    fields: dict[str, str]
    price: Money
    quantity: int
    pictures: tuple[PictureFile, ...] = ()
    part: Literal["whole", "head", "member"] = "whole"
    head: str = ""
    traits: Mapping[str, str] = field(default_factory=dict)
    regular: Money | None = None


class PriceRow(NamedTuple):
    """The price of one listing; `regular` is what a sale price goes instead of, for channels that
    show both."""

    ref: str
    price: Money
    regular: Money | None = None


@dataclass(frozen=True)
class Placed:
    """Where the channel put a listing: its own reference, the path of the page that buyers see,
    until when it stands there, where listings lapse, and on which page of a catalogue of the
    channel's own."""

    ref: str
    page: str
    until: datetime | None = None
    catalogue_page: str = ""


@dataclass(frozen=True)
class RowVerdict:
    """What the channel said of one row: accepted, or refused with its words."""

    ref: str
    ok: bool
    says: str = ""


@dataclass(frozen=True)
class ShownListing:
    """What the channel shows of one listing now; where listings lapse, until when, and whether this
    one has.

    `head` is the reference of the family's page that it stands on, `page` its path; `centre` says
    that its goods lie in the channel's own centre; `fields` are by our names for them, `pictures`
    addresses.
    """

    ref: str
    sku: str
    title: str
    price: int
    quantity: int
    live: bool
    until: datetime | None = None
    lapsed: bool = False
    head: str = ""
    page: str = ""
    gtin: str = ""
    brand: str = ""
    centre: bool = False
    traits: Mapping[str, str] = field(default_factory=dict)
    fields: Mapping[str, str] = field(default_factory=dict)
    pictures: tuple[str, ...] = ()


class ContentRefused(Exception):
    """The channel refused what a listing says: (field, its words) for each problem."""

    def __init__(self, problems: Sequence[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{name}: {says}" for name, says in problems))
        self.problems = tuple(problems)


@dataclass(frozen=True)
class Dispatched:
    """A parcel that left: which carrier, under which tracking number."""

    carrier: str
    tracking_number: str
    lines: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class HandInRow:
    """One line of a hand-in: under a key of its own, what is to be done to which listing."""

    key: str
    topic: Literal["publish", "content", "quantity", "price", "shown"]
    ref: str = ""
    offer: Offer | None = None
    quantity: int = 0
    price: Money | None = None
    shown: bool = True


@dataclass(frozen=True)
class SheetLine:
    """The verdict of a reply sheet on one line: accepted (with its place when it is new), or
    (field, words) for each problem. `again`: it had been taken before, as it was then."""

    key: str
    placed: Placed | None = None
    problems: tuple[tuple[str, str], ...] = ()
    again: bool = False


@dataclass(frozen=True)
class CataloguePage:
    """A page of a channel's own catalogue; `offers` stand on it, the lowest at `lowest` minor
    units."""

    page: str
    gtin: str
    title: str
    brand: str
    picture: str = ""
    category: str = ""
    size: str = ""
    offers: int = 0
    lowest: int | None = None


class ChannelGateway(Protocol):
    """A channel."""

    def test(self) -> str:
        """Whose account this is, in the channel's words."""
        ...

    def publish(self, offer: Offer, key: str) -> Placed:
        """Place a listing; `key` marks this wish, so that a lost answer can be looked up. May raise
        ContentRefused."""
        ...

    def find_placed(self, offer_sku: str, key: str) -> Placed | None:
        """Where an earlier `publish` under the same key put the listing; none when it never
        arrived."""
        ...

    def send_content(self, ref: str, offer: Offer) -> None:
        """Replace what a listing says, pictures included. May raise ContentRefused."""
        ...

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        """Say how many units each listing (by reference) shows."""
        ...

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        """Say what each listing costs."""
        ...

    def set_shown(self, ref: str, shown: bool) -> None:
        """Put a listing back, or take it down."""
        ...

    def listings_after(self, ref: str, page: int) -> list[ShownListing]:
        """A page of what the channel shows, by reference."""
        ...

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        """Orders changed after a mark of the channel, oldest change first."""
        ...

    def acknowledge(self, number: str) -> None:
        """Say that we have the order."""
        ...

    def tell_dispatched(self, number: str, parcel: Dispatched) -> None:
        """Say that a parcel left; saying it again changes nothing."""
        ...

    def set_webhook(self, url: str, secret: str) -> None:
        """Where the channel is to tell us of orders."""
        ...

    def read_webhook(self, body: bytes) -> IncomingOrder | None:
        """The order in a webhook whose signature was checked; none when it is about something
        else."""
        ...

    def close(self) -> None:
        """Let go of connections."""
        ...


class SheetGateway(ChannelGateway, Protocol):
    """A channel that takes hand-ins and answers them later, by reply sheet."""

    def hand_in(self, mark: str, rows: Sequence[HandInRow]) -> str:
        """Hand in lines under a mark; the number under which they are answered. Again under one
        mark: that number."""
        ...

    def find_handed_in(self, mark: str) -> str:
        """The number of an earlier hand-in, "" when it never arrived."""
        ...

    def reply_sheet(self, number: str) -> tuple[SheetLine, ...] | None:
        """The verdicts; none while there is no answer yet."""
        ...


class CatalogueGateway(ChannelGateway, Protocol):
    """A channel with a catalogue of its own."""

    def pages_by_gtin(self, gtins: Sequence[str]) -> list[CataloguePage]:
        """The pages of GTINs; there may be several of one."""
        ...

    def pages_by_words(self, words: str, most: int) -> list[CataloguePage]:
        """The pages that words find, best first."""
        ...
