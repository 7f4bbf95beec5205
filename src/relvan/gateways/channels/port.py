"""Defines what any channel can be asked and told, in our words. An adapter translates it to the
channel's dialect.

Every call may raise `OutsideTrouble` (try again) or `OutsideRefusal` (the channel refused).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Literal, NamedTuple, Protocol

from relvan.core.money import Money
from relvan.core.orders.intake import Address, IncomingOrder


@dataclass(frozen=True)
class PictureFile:
    """A picture to send: its SHA-256, its media type, and the file with its bytes."""

    sha: str
    kind: str
    path: Path


@dataclass(frozen=True)
class Offer:
    """Everything that a listing shows: the rulebook's fields by name, price, units, pictures in
    order.

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
    """The price of one listing. `regular` is the price that a sale price replaces, for channels
    that show both.
    """

    ref: str
    price: Money
    regular: Money | None = None


@dataclass(frozen=True)
class Placed:
    """Where the channel put a listing: the channel's reference, the path of the page that buyers
    see, until when it stands there (where listings lapse), and on which page of the channel's own
    catalogue.
    """

    ref: str
    page: str
    until: datetime | None = None
    catalogue_page: str = ""


@dataclass(frozen=True)
class RowVerdict:
    """The channel's verdict on one row: accepted, or refused with its message."""

    ref: str
    ok: bool
    says: str = ""


@dataclass(frozen=True)
class ShownListing:
    """What the channel shows of one listing now, with the end of its time and whether that has
    passed, where listings lapse.

    `head` is the reference of the family's page on which it stands, `page` its path; `centre` says
    that its goods lie in the channel's own centre; `fields` have our names, and `pictures` are
    addresses. `text` is the description, `placed_at` when it was placed there and `changed_at` when
    its content was last changed; a channel that does not say one of them leaves it empty.
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
    text: str = ""
    weight_g: int | None = None
    placed_at: datetime | None = None
    changed_at: datetime | None = None


def moment(told: object) -> datetime | None:
    """Returns the moment that a channel tells as ISO 8601, or None when it tells none."""
    try:
        return datetime.fromisoformat(str(told)) if told else None
    except ValueError:
        return None


def grams(told: object) -> int | None:
    """Returns the weight that a channel tells in whole grams, or None when it tells none."""
    return (
        int(str(told)) if str(told).isascii() and str(told).isdigit() and int(str(told)) else None
    )


class ContentRefused(Exception):
    """The channel refused the content of a listing, with (field, message) for each problem."""

    def __init__(self, problems: Sequence[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{name}: {says}" for name, says in problems))
        self.problems = tuple(problems)


@dataclass(frozen=True)
class Dispatched:
    """A parcel that left: which carrier, under which tracking number; and, once the carrier has said it,
    what has become of it: delayed, delivered or lost."""

    carrier: str
    tracking_number: str
    stage: str = ""
    lines: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class HandInRow:
    """One line of a hand-in, under a key of its own: which change of which listing."""

    key: str
    topic: Literal["publish", "content", "quantity", "price", "shown"]
    ref: str = ""
    offer: Offer | None = None
    quantity: int = 0
    price: Money | None = None
    shown: bool = True


@dataclass(frozen=True)
class SheetLine:
    """The verdict of a reply sheet on one line: accepted (with the new listing's place), or (field,
    message) for each problem. `again` says that the line had been taken before, with the verdict of
    then.
    """

    key: str
    placed: Placed | None = None
    problems: tuple[tuple[str, str], ...] = ()
    again: bool = False


@dataclass(frozen=True)
class CataloguePage:
    """A page of a channel's own catalogue. `offers` of sellers stand on it, the lowest at `lowest`
    minor units.
    """

    page: str
    gtin: str
    title: str
    brand: str
    picture: str = ""
    category: str = ""
    size: str = ""
    offers: int = 0
    lowest: int | None = None


@dataclass(frozen=True)
class HandedOver:
    """Goods that a marketplace's centre is to send for us: our reference, which centre, the units by
    SKU, and to whom.
    """

    ref: str
    centre: str
    lines: tuple[tuple[str, int], ...]
    to: Address


@dataclass(frozen=True)
class CentreNews:
    """What has become of goods that were handed over: taken, packing, gone (with the carrier, the
    tracking number, the weight in grams and what it is charged at in minor units), or recalled.
    """

    ref: str
    mark: int
    state: Literal["taken", "packing", "gone", "recalled"]
    carrier: str = ""
    tracking_number: str = ""
    weight_g: int = 0
    charge: int = 0


class ChannelGateway(Protocol):
    """A channel, as services call it."""

    def test(self) -> str:
        """Returns whose account this is, in the channel's words."""
        ...

    def publish(self, offer: Offer, key: str) -> Placed:
        """Publishes a listing. `key` marks this call, so that a lost answer can be looked up. May
        raise ContentRefused.
        """
        ...

    def find_placed(self, offer_sku: str, key: str) -> Placed | None:
        """Returns where an earlier `publish` under the same key put the listing, or None when it
        never arrived.
        """
        ...

    def send_content(self, ref: str, offer: Offer) -> None:
        """Replaces the content of a listing, pictures included. May raise ContentRefused."""
        ...

    def set_quantities(self, rows: Sequence[tuple[str, int]]) -> list[RowVerdict]:
        """Sets how many units each listing (by reference) shows."""
        ...

    def set_prices(self, rows: Sequence[PriceRow]) -> list[RowVerdict]:
        """Sets the price of each listing."""
        ...

    def set_shown(self, ref: str, shown: bool) -> None:
        """Puts a listing back, or takes it down."""
        ...

    def listings_after(self, ref: str, page: int) -> list[ShownListing]:
        """Returns one page of the listings that the channel shows, ordered by reference."""
        ...

    def orders_after(self, mark: int, page: int) -> list[IncomingOrder]:
        """Returns the orders that changed after a mark of the channel, the oldest change first."""
        ...

    def acknowledge(self, number: str) -> None:
        """Tells the channel that we have the order."""
        ...

    def tell_dispatched(self, number: str, parcel: Dispatched) -> None:
        """Tells the channel that a parcel left. Repeating it changes nothing."""
        ...

    def tell_taken_off(self, number: str, units: Mapping[str, int]) -> None:
        """Tells the channel how many units of each line of an order we took off, in all. Repeating it
        changes nothing.
        """
        ...

    def tell_refunded(self, number: str, refunds: Mapping[str, int]) -> None:
        """Tells the channel what we gave back of an order, each in minor units under a key of its
        own, of letters, digits and hyphens. Repeating it changes nothing.
        """
        ...

    def set_webhook(self, url: str, secret: str) -> None:
        """Tells the channel the address to which it sends webhooks of orders."""
        ...

    def read_webhook(self, body: bytes) -> IncomingOrder | None:
        """Returns the order in a webhook whose signature was checked, or None when it is about
        something else.
        """
        ...

    def close(self) -> None:
        """Closes connections."""
        ...


class SheetGateway(ChannelGateway, Protocol):
    """A channel that takes hand-ins and answers them later, by reply sheet."""

    def hand_in(self, mark: str, rows: Sequence[HandInRow]) -> str:
        """Hands in lines under a mark and returns the number under which they are answered.
        Repeated under one mark, it returns that number again.
        """
        ...

    def find_handed_in(self, mark: str) -> str:
        """Returns the number of an earlier hand-in, or "" when it never arrived."""
        ...

    def reply_sheet(self, number: str) -> tuple[SheetLine, ...] | None:
        """Returns the verdicts, or None while there is no answer yet."""
        ...


class CatalogueGateway(ChannelGateway, Protocol):
    """A channel with a catalogue of its own."""

    def pages_by_gtin(self, gtins: Sequence[str]) -> list[CataloguePage]:
        """Returns the pages of GTINs; one GTIN may have several pages."""
        ...

    def pages_by_words(self, words: str, most: int) -> list[CataloguePage]:
        """Returns the pages that words find, the best first."""
        ...


class CentreGateway(ChannelGateway, Protocol):
    """A channel whose centres send orders for us."""

    def hand_over(self, goods: HandedOver) -> None:
        """Hands goods over; under one reference they are taken once. `OutsideRefusal` when the centre
        does not take them.
        """
        ...

    def recall(self, ref: str) -> bool:
        """Calls goods back; returns whether that came in time."""
        ...

    def centre_news(self, mark: int, page: int) -> list[CentreNews]:
        """Returns what has become of goods since a mark, the oldest change first."""
        ...
