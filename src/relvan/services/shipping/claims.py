"""Claims for parcels that came late or were lost: the facts that a carrier asks for, and what became of
the claim.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from relvan.core.money import as_decimal
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse_if_any
from relvan.core.shipping.tracking import (
    Claim,
    ClaimState,
    ParcelStage,
    ParcelStanding,
    check_claim,
    days_late,
    parcel_standing,
)
from relvan.documents.tables import write_csv
from relvan.services import audit
from relvan.services.shipping.tracking import tracked
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import parcel_by_id, shipment_by_id
from relvan.store.manifests import manifest_by_id
from relvan.store.parcels import (
    LeftParcel,
    LostGoods,
    ParcelWish,
    goods_of_parcels,
    left_parcels,
    parcel_events,
    places_of_parcel,
)
from relvan.store.tables import Carrier, Manifest, Order, Parcel, ParcelEvent, Shipment, Warehouse

MOST_IN_FILE = 5_000
HEADINGS = (
    "tracking number",
    "carrier",
    "service",
    "manifest",
    "order",
    "receiver",
    "country",
    "dispatched",
    "promised",
    "stage",
    "since",
    "standing",
    "days late",
    "weight g",
    "contents",
    "sold for",
    "currency",
    "carriage quoted",
    "carriage charged",
    "reason",
    "claim",
    "claim paid",
)


@dataclass(frozen=True)
class ClaimFacts:
    """All that a claim for a parcel needs: the parcel with its standing and days late, where it went,
    the manifest on which it was handed over, what happened to it, and what lies in it."""

    parcel: Parcel
    carrier: str
    service: str
    standing: ParcelStanding
    days_late: int
    order: Order
    shipment: Shipment
    warehouse: Warehouse
    manifest: Manifest | None
    events: tuple[ParcelEvent, ...]
    goods: tuple[LostGoods, ...]

    @property
    def goods_value(self) -> int:
        """What the goods were sold for, in minor units of the order's currency."""
        return sum(one.unit_price * one.quantity for one in self.goods)

    @property
    def goods_cost(self) -> int:
        """What the goods cost us in minor units of the seller's currency, as far as it is known."""
        return sum((one.cost or 0) * one.quantity for one in self.goods)


def claim_facts(workplace: Workplace, parcel_id: int) -> ClaimFacts:
    """Returns what a claim for a parcel needs.

    Raises:
        Refused: if it has no label.
    """
    now = workplace.now()
    with workplace.database.reading() as session:
        parcel = parcel_by_id(session, parcel_id)
        if parcel.tracking_number is None or parcel.carrier_id is None:
            raise not_found("label", f"parcel {parcel_id}")
        shipment, order, warehouse = places_of_parcel(session, parcel_id)
        manifest = manifest_by_id(session, parcel.manifest_id) if parcel.manifest_id else None
        arrived = parcel.stage_at if parcel.stage == ParcelStage.DELIVERED else None
        known = tracked(parcel)
        carrier = session.get_one(Carrier, parcel.carrier_id)
        return ClaimFacts(
            parcel,
            carrier.name,
            carrier.services.get(parcel.service, parcel.service),
            parcel_standing(known, now),
            days_late(known.arrives_on, arrived.date() if arrived else None, now.date()),
            order,
            shipment,
            warehouse,
            manifest,
            tuple(parcel_events(session, [parcel_id]).get(parcel_id, ())),
            tuple(goods_of_parcels(session, [parcel_id]).get(parcel_id, ())),
        )


def note_claim(workplace: Workplace, actor: Actor, parcel_id: int, claim: Claim) -> None:
    """Notes how far the claim for a parcel is. Noted twice, it stays as it is.

    Raises:
        Refused: if it was not made before it is answered, or no amount is given for one that was paid.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        parcel = parcel_by_id(session, parcel_id)
        before = ClaimState(parcel.claim_state)
        refuse_if_any(check_claim(claim, before))
        parcel.claim_state, parcel.claim_note = str(claim.state), claim.note.strip()
        parcel.claim_amount = claim.amount if claim.state == ClaimState.PAID else None
        if claim.state == ClaimState.NONE:
            parcel.claimed_at = None
        elif parcel.claimed_at is None:
            parcel.claimed_at = workplace.now()
        if before != claim.state:
            shipment = shipment_by_id(session, parcel.shipment_id)
            subject = audit.Subject("order", shipment.order_id)
            deed = f"claim for {parcel.tracking_number}: {claim.state or 'taken back'}"
            audit.record(session, actor, workplace.now(), subject, deed)


def parcels_file(workplace: Workplace, wish: ParcelWish) -> Iterator[bytes]:
    """Yields parcels that have left as CSV, with all that claims need."""
    now = workplace.now()
    with workplace.database.reading() as session:
        rows = left_parcels(session, wish, now, MOST_IN_FILE)
        goods = goods_of_parcels(session, [row.id for row in rows])
    return write_csv(HEADINGS, (_line_of(row, goods.get(row.id, []), now) for row in rows))


def _line_of(
    row: LeftParcel, goods: Sequence[LostGoods], now: datetime
) -> list[str | int | Decimal | None]:
    known = tracked(row)
    arrived = row.stage_at if row.stage == ParcelStage.DELIVERED else None
    contents = "; ".join(f"{one.quantity} x {one.sku} {one.title}" for one in goods)
    sold = sum(one.unit_price * one.quantity for one in goods)
    currency = goods[0].currency if goods else row.currency

    def money(amount: int | None) -> Decimal | None:
        return None if amount is None else as_decimal(amount, row.currency)

    return [
        row.tracking_number,
        row.carrier,
        row.service_name,
        row.manifest,
        row.order,
        row.receiver,
        row.country,
        row.dispatched_at.date().isoformat() if row.dispatched_at else "",
        row.arrives_on or "",
        row.stage,
        row.stage_at.isoformat(timespec="minutes") if row.stage_at else "",
        str(parcel_standing(known, now)),
        days_late(known.arrives_on, arrived.date() if arrived else None, now.date()),
        row.weight_g,
        contents,
        as_decimal(sold, currency),
        currency,
        money(row.price),
        money(row.charged),
        row.charge_reason,
        row.claim_state,
        money(row.claim_amount),
    ]
