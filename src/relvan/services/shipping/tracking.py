"""Follows parcels after they have left: what their carriers say of them, what is charged for them, and
claims. Order, customer and channel are told. Carriers are asked outside any transaction.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from relvan.core.channels.sending import Topic, topic_urgency
from relvan.core.channels.subject import parcel_subject
from relvan.core.mail.texts import MailEvent
from relvan.core.people.roles import Right
from relvan.core.shipping.tracking import (
    TROUBLE,
    ParcelStage,
    Tracked,
    parcel_standing,
)
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.gateways.carriers.port import CarrierEvent as Told
from relvan.services import audit
from relvan.services.changes import MailWish, changes_of
from relvan.services.outbox.tell import Telling, tell
from relvan.services.workplace import SYSTEM, Actor, Workplace
from relvan.store.channels import carriers, channel_is_connected
from relvan.store.manifests import manifest_by_id
from relvan.store.parcels import (
    LeftParcel,
    add_parcel_events,
    keep_charge,
    manifests_without_bill,
    orders_of_parcels,
    parcels_by_id,
    parcels_to_follow,
)
from relvan.store.session import Session
from relvan.store.tables import Carrier, Order, Parcel

ASK_AGAIN_AFTER = timedelta(minutes=10)
FOLLOWED_FOR = timedelta(days=90)
AT_ONCE = 100
MOST_MANIFESTS = 20
TOLD_TO_CHANNELS = (ParcelStage.DELAYED, ParcelStage.DELIVERED, ParcelStage.LOST)


@dataclass(frozen=True)
class Followed:
    """What following parcels led to: how many were asked about, how many went on, how many manifests
    were billed, and what carriers could not be asked, with the reason."""

    asked: int = 0
    moved: int = 0
    billed: int = 0
    trouble: tuple[str, ...] = ()


def follow_parcels(workplace: Workplace, *, now_all: bool = False) -> Followed:
    """Asks each carrier what has become of the parcels under way, and what it charges. A parcel is asked
    about again after ten minutes, or at once with `now_all`, for ninety days after it has left. A carrier
    that does not answer is asked again the next time; nothing is lost meanwhile."""
    with workplace.database.reading() as session:
        accounts = carriers(session)
    asked = moved = billed = 0
    trouble = []
    since = workplace.now() if now_all else workplace.now() - ASK_AGAIN_AFTER
    for account in accounts:
        try:
            some = AT_ONCE
            while some == AT_ONCE:
                some, went_on = _follow_some(workplace, account, since)
                asked, moved = asked + some, moved + went_on
            billed += _take_charges(workplace, account)
        except (OutsideTrouble, OutsideRefusal) as failure:
            trouble.append(f"{account.name}: {failure}")
    return Followed(asked, moved, billed, tuple(trouble))


def follow_now(workplace: Workplace, actor: Actor) -> Followed:
    """Asks every carrier at once, because a person wants to know."""
    actor.must(Right.DISPATCH)
    return follow_parcels(workplace, now_all=True)


def _follow_some(workplace: Workplace, account: Carrier, since: datetime) -> tuple[int, int]:
    """Follows some parcels of a carrier; returns how many were asked about and how many went on."""
    with workplace.database.reading() as session:
        left_since = workplace.now() - FOLLOWED_FOR
        parcels = parcels_to_follow(session, account.id, left_since, since, AT_ONCE)
        numbers = {parcel.id: parcel.tracking_number or "" for parcel in parcels}
    if not numbers:
        return 0, 0
    told = workplace.carrier(account).track(list(numbers.values()))
    with workplace.database.writing() as session:
        rows = parcels_by_id(session, numbers)
        orders = orders_of_parcels(session, numbers)
        moved = _note(session, workplace, rows, told)
        _tell_inside(session, workplace, orders, moved, account)
        _tell_channels(session, workplace, orders, moved, account)
        _note_late(session, workplace, rows, orders)
    return len(numbers), len(moved)


def _note(
    session: Session, workplace: Workplace, parcels: Sequence[Parcel], told: dict[str, list[Told]]
) -> list[Parcel]:
    """Keeps what a carrier says of parcels; returns those that have gone on."""
    found, moved = [], []
    for parcel in parcels:
        parcel.tracked_at = workplace.now()
        events = told.get(parcel.tracking_number or "", [])
        found += [
            {"parcel_id": parcel.id, "at": e.at, "stage": str(e.stage), "words": e.words[:200]}
            for e in events
        ]
        if events:
            last = max(events, key=lambda event: event.at)
            before, parcel.stage, parcel.stage_at = parcel.stage, str(last.stage), last.at
            if before != parcel.stage:
                moved.append(parcel)
    add_parcel_events(session, found)
    return moved


def _tell_inside(
    session: Session,
    workplace: Workplace,
    orders: Mapping[int, Order],
    moved: Sequence[Parcel],
    account: Carrier,
) -> None:
    """Writes in the logs of orders how far their parcels are, and lets customers know of
    those delivered. What is late or lost is noted apart, with its own message."""
    said: list[tuple[int, str, audit.Changes]] = [
        (orders[one.id].id, f"{account.name} says of {one.tracking_number}: {one.stage}", {})
        for one in moved
    ]
    audit.record_many(session, SYSTEM, workplace.now(), "order", said)
    for parcel in moved:
        if parcel.stage == ParcelStage.DELIVERED:
            _mail(session, orders[parcel.id], parcel, MailEvent.DELIVERED)


def _mail(session: Session, order: Order, parcel: Parcel, event: MailEvent) -> None:
    wish = MailWish(order.id, event, f"{event}:{parcel.id}", paper=str(parcel.shipment_id))
    changes_of(session).to_mail(wish)


def _tell_channels(
    session: Session,
    workplace: Workplace,
    orders: Mapping[int, Order],
    moved: Sequence[Parcel],
    account: Carrier,
) -> None:
    """Tells the channels of the orders of parcels that were delayed, delivered or lost."""
    found = [one for one in moved if one.stage in TOLD_TO_CHANNELS and orders[one.id].channel_id]
    ids = {orders[parcel.id].channel_id or 0 for parcel in found}
    connected = {channel_id for channel_id in ids if channel_is_connected(session, channel_id)}
    tellings = [
        Telling(
            orders[parcel.id].channel_id or 0,
            parcel_subject(parcel.id),
            Topic.TRACKING,
            topic_urgency(Topic.TRACKING),
            payload={
                "number": orders[parcel.id].channel_number,
                "carrier": account.name,
                "tracking_number": parcel.tracking_number,
                "stage": parcel.stage,
            },
        )
        for parcel in found
        if orders[parcel.id].channel_id in connected
    ]
    tell(session, workplace, tellings)


def tracked(parcel: Parcel | LeftParcel) -> Tracked:
    """Returns what is known of a parcel."""
    day = date.fromisoformat(parcel.arrives_on) if parcel.arrives_on else None
    return Tracked(ParcelStage(parcel.stage), parcel.stage_at, day)


def _note_late(
    session: Session, workplace: Workplace, parcels: Sequence[Parcel], orders: Mapping[int, Order]
) -> None:
    """Notes once of each parcel that it is late or lost, and lets the customer know."""
    now = workplace.now()
    for parcel in parcels:
        if parcel.late_at is None and parcel_standing(tracked(parcel), now) in TROUBLE:
            parcel.late_at = now
            _mail(session, orders[parcel.id], parcel, MailEvent.LATE)


def _take_charges(workplace: Workplace, account: Carrier) -> int:
    """Takes over what a carrier charges for the parcels of its manifests; returns how many were billed."""
    with workplace.database.reading() as session:
        waiting = [
            (row.id, row.carrier_number)
            for row in manifests_without_bill(session, account.id, MOST_MANIFESTS)
        ]
    billed = 0
    for manifest_id, number in waiting:
        charges = workplace.carrier(account).charges(number)
        if charges is None:
            continue
        with workplace.database.writing() as session:
            for one in charges:
                keep_charge(session, account.id, one.tracking_number, one.price, one.reason[:200])
            manifest_by_id(session, manifest_id).billed_at = workplace.now()
        billed += 1
    return billed
