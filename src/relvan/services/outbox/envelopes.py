"""What exactly is sent: an update with the content as it is at the moment of sending."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from relvan.core.channels.sending import Topic
from relvan.core.channels.subject import UpdateSubject
from relvan.core.money import Money
from relvan.gateways.channels.port import (
    ChannelGateway,
    Dispatched,
    HandInRow,
    Offer,
    Placed,
    PriceRow,
    RowVerdict,
)
from relvan.services.stations import Sending
from relvan.services.workplace import Workplace
from relvan.store.bulk import update_rows
from relvan.store.channels import channels
from relvan.store.listings import listings_of
from relvan.store.session import Session
from relvan.store.tables import Listing, OutboxEntry


@dataclass(frozen=True)
class Envelope:
    """One update on its way. `sent` is what the listing will have said when it is accepted.
    `before` is what was sent the first time when the answer to that was lost; it counts when the
    channel turns out to have it. `gap` is what keeps the listing from being published after all."""

    entry_id: int
    topic: Topic
    subject: UpdateSubject
    key: str
    unsure: bool
    listing_id: int | None
    ref: str
    offer: Offer | None = None
    quantity: int = 0
    price: Money | None = None
    regular: Money | None = None
    shown: bool = True
    payload: dict[str, Any] = field(default_factory=dict)
    sent: dict[str, Any] = field(default_factory=dict)
    gap: str = ""
    before: dict[str, Any] = field(default_factory=dict)

    def as_found(self) -> "Envelope":
        """Returns this update as the channel turned out to have it already."""
        return replace(self, sent=self.before)


Outcome = RowVerdict | Placed
WHOLE = (Topic.PUBLISH, Topic.CONTENT)  # what carries all that a listing says


def make_envelopes(
    session: Session, workplace: Workplace, entries: Sequence[OutboxEntry]
) -> list[Envelope]:
    """Fills the envelopes from what is held now, inside the transaction that takes the updates; a
    few queries for all of them."""
    currency = {channel.id: channel.currency for channel in channels(session)}
    ids = [entry.listing_id for entry in entries if entry.listing_id is not None]
    listings = {listing.id: listing for listing in listings_of(session, listing_ids=ids)}
    whole = [
        listings[e.listing_id] for e in entries if e.listing_id is not None and e.topic in WHOLE
    ]
    sendings = workplace.stations.contents(session, workplace, whole) if whole else {}
    return [
        _envelope(entry, listings.get(entry.listing_id or 0), sendings, currency[entry.channel_id])
        for entry in entries
    ]


def keep_what_goes_out(session: Session, envelopes: Sequence[Envelope]) -> None:
    """Notes with each update what it says, before it is sent. While an answer is lost, what was
    sent first is kept: when the channel has it, it counts as the older version, and at worst the
    newer one is sent once more."""
    sure = [(envelope.sent, envelope.entry_id) for envelope in envelopes if not envelope.unsure]
    update_rows(session, OutboxEntry, ["sent"], sure)


def _envelope(
    entry: OutboxEntry, listing: Listing | None, sendings: Mapping[int, Sending], currency: str
) -> Envelope:
    topic = Topic(entry.topic)
    start: dict[str, Any] = {
        "entry_id": entry.id,
        "topic": topic,
        "subject": entry.subject,
        "key": entry.key,
        "unsure": entry.unsure,
        "listing_id": entry.listing_id,
        "payload": entry.payload,
        "before": entry.sent if entry.unsure else {},
    }
    if listing is None:
        return Envelope(ref="", **start)
    start["ref"] = listing.ref
    sent: dict[str, Any]
    if topic == Topic.QUANTITY:
        return Envelope(
            **start, quantity=listing.quantity, sent={"sent_quantity": listing.quantity}
        )
    if topic == Topic.PRICE:
        price = Money(listing.price or 0, currency)
        regular = None if listing.regular is None else Money(listing.regular, currency)
        sent = {"sent_price": listing.price, "sent_regular": listing.regular}
        return Envelope(**start, price=price, regular=regular, sent=sent)
    if topic == Topic.SHOWN:
        return Envelope(**start, shown=listing.to_show, sent={"shown": listing.to_show})
    found = sendings[listing.id]
    sent = {
        "sent_content": listing.held_content,
        "sent_pictures": listing.held_pictures,
        "sent_fields": found.said,
    }
    if topic == Topic.PUBLISH:
        price_sent = None if found.offer.part == "head" else found.offer.price.amount
        regular_sent = (
            found.offer.regular.amount if found.offer.regular and price_sent is not None else None
        )
        sent |= {
            "sent_price": price_sent,
            "sent_regular": regular_sent,
            "sent_quantity": found.offer.quantity,
        }
    return Envelope(**start, offer=found.offer, sent=sent, gap=found.gap)


def send_envelopes(
    gateway: ChannelGateway, envelopes: Sequence[Envelope]
) -> list[tuple[Envelope, Outcome]]:
    """Sends envelopes of one topic in one call; returns each with what the channel said."""
    first = envelopes[0]
    if first.topic == Topic.QUANTITY:
        return _by_row(envelopes, gateway.set_quantities([(e.ref, e.quantity) for e in envelopes]))
    if first.topic == Topic.PRICE:
        return _by_row(
            envelopes,
            gateway.set_prices([PriceRow(e.ref, e.price, e.regular) for e in envelopes if e.price]),
        )
    if first.topic == Topic.PUBLISH:
        return [_publish(gateway, first)]
    _send_one(gateway, first)
    return [(first, RowVerdict(first.ref, True))]


def _publish(gateway: ChannelGateway, envelope: Envelope) -> tuple[Envelope, Placed]:
    assert envelope.offer is not None
    placed = gateway.find_placed(envelope.offer.sku, envelope.key) if envelope.unsure else None
    if placed is not None:
        return envelope.as_found(), placed
    return envelope, gateway.publish(envelope.offer, envelope.key)


def _send_one(gateway: ChannelGateway, envelope: Envelope) -> None:
    if envelope.topic == Topic.CONTENT:
        assert envelope.offer is not None
        gateway.send_content(envelope.ref, envelope.offer)
    elif envelope.topic == Topic.SHOWN:
        gateway.set_shown(envelope.ref, envelope.shown)
    elif envelope.topic == Topic.ACKNOWLEDGE:
        gateway.acknowledge(envelope.subject.key)
    elif envelope.topic == Topic.TRACKING:
        payload = envelope.payload
        parcel = Dispatched(
            payload["carrier"], payload["tracking_number"], payload.get("stage", "")
        )
        gateway.tell_dispatched(payload["number"], parcel)
    elif envelope.topic == Topic.TAKEN_OFF:
        gateway.tell_taken_off(envelope.subject.key, envelope.payload["lines"])
    elif envelope.topic == Topic.REFUNDED:
        gateway.tell_refunded(envelope.subject.key, envelope.payload["refunds"])


def _by_row(
    envelopes: Sequence[Envelope], verdicts: Sequence[RowVerdict]
) -> list[tuple[Envelope, Outcome]]:
    said = {verdict.ref: verdict for verdict in verdicts}
    missing = "The channel did not answer for it."
    return [(e, said.get(e.ref, RowVerdict(e.ref, False, missing))) for e in envelopes]


def as_lines(envelopes: Sequence[Envelope]) -> list[HandInRow]:
    """Returns the lines of a hand-in."""
    return [
        HandInRow(
            e.key,
            e.topic.value,  # type: ignore[arg-type]  # acknowledgements and tracking are not handed in
            e.ref,
            e.offer,
            e.quantity,
            e.price,
            e.shown,
        )
        for e in envelopes
    ]
