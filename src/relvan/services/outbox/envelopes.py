"""What exactly goes out: an outbox entry with the content as it is at the moment of sending."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session

from relvan.core.channels.sending import Topic
from relvan.core.money import Money
from relvan.gateways.channels.port import ChannelGateway, Dispatched, Offer, Placed, RowVerdict
from relvan.services.listings.offers import offer_of
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_settings
from relvan.store.tables import Listing, OutboxEntry


@dataclass(frozen=True)
class Envelope:
    """One update on its way. `sent` is what the listing will have been told when it is accepted."""

    entry_id: int
    topic: Topic
    subject: str
    key: str
    unsure: bool
    listing_id: int | None
    ref: str
    offer: Offer | None = None
    quantity: int = 0
    price: Money | None = None
    shown: bool = True
    payload: dict[str, Any] = field(default_factory=dict)
    sent: dict[str, Any] = field(default_factory=dict)


Outcome = RowVerdict | Placed


def make_envelopes(session: Session, workplace: Workplace, entries: Sequence[OutboxEntry]) -> list[Envelope]:
    """Fill the envelopes from what is held now, inside the claiming transaction."""
    currency = {key: found.price_list.currency for key, found in channel_settings(session).items()}
    return [_envelope(session, workplace, entry, currency[entry.channel_id]) for entry in entries]


def _envelope(session: Session, workplace: Workplace, entry: OutboxEntry, currency: str) -> Envelope:
    topic = Topic(entry.topic)
    start: dict[str, Any] = {
        "entry_id": entry.id, "topic": topic, "subject": entry.subject, "key": entry.key,
        "unsure": entry.unsure, "listing_id": entry.listing_id, "payload": entry.payload,
    }  # fmt: skip
    if entry.listing_id is None:
        return Envelope(ref="", **start)
    listing = session.get_one(Listing, entry.listing_id)
    start["ref"] = listing.ref
    if topic == Topic.QUANTITY:
        return Envelope(**start, quantity=listing.quantity, sent={"sent_quantity": listing.quantity})
    if topic == Topic.PRICE:
        price = Money(listing.price or 0, currency)
        return Envelope(**start, price=price, sent={"sent_price": listing.price})
    if topic == Topic.SHOWN:
        shown = listing.wish == "live"
        return Envelope(**start, shown=shown, sent={"shown": shown})
    offer = offer_of(session, workplace, listing)
    sent: dict[str, Any] = {"sent_content": listing.held_content, "sent_pictures": listing.held_pictures}
    if topic == Topic.PUBLISH:
        sent |= {"sent_price": offer.price.amount, "sent_quantity": offer.quantity}
    return Envelope(**start, offer=offer, sent=sent)


def send_envelopes(gateway: ChannelGateway, envelopes: Sequence[Envelope]) -> list[tuple[Envelope, Outcome]]:
    """Send envelopes of one topic in one call; each with what the channel said."""
    first = envelopes[0]
    if first.topic == Topic.QUANTITY:
        return _by_row(envelopes, gateway.set_quantities([(e.ref, e.quantity) for e in envelopes]))
    if first.topic == Topic.PRICE:
        return _by_row(envelopes, gateway.set_prices([(e.ref, e.price) for e in envelopes if e.price]))
    return [(first, _send_one(gateway, first))]


def _send_one(gateway: ChannelGateway, envelope: Envelope) -> Outcome:
    done = RowVerdict(envelope.ref, True)
    if envelope.topic == Topic.PUBLISH:
        assert envelope.offer is not None
        placed = gateway.find_placed(envelope.offer.sku, envelope.key) if envelope.unsure else None
        return placed or gateway.publish(envelope.offer, envelope.key)
    if envelope.topic == Topic.CONTENT:
        assert envelope.offer is not None
        gateway.send_content(envelope.ref, envelope.offer)
    elif envelope.topic == Topic.SHOWN:
        gateway.set_shown(envelope.ref, envelope.shown)
    elif envelope.topic == Topic.ACKNOWLEDGE:
        gateway.acknowledge(envelope.subject.removeprefix("order:"))
    elif envelope.topic == Topic.TRACKING:
        payload = envelope.payload
        parcel = Dispatched(payload["carrier"], payload["tracking_number"])
        gateway.tell_dispatched(payload["number"], parcel)
    return done


def _by_row(envelopes: Sequence[Envelope], verdicts: Sequence[RowVerdict]) -> list[tuple[Envelope, Outcome]]:
    said = {verdict.ref: verdict for verdict in verdicts}
    missing = "The channel did not answer for it."
    return [(e, said.get(e.ref, RowVerdict(e.ref, False, missing))) for e in envelopes]
