"""Gives the parcels of the demo's past their ways: most have arrived, and a few are late, missing or lost."""

from datetime import date, datetime, timedelta

import httpx

from relvan.core.shipping.carriage import CarriageRule, RuleTake
from relvan.core.shipping.life import ShipmentState
from relvan.core.shipping.tracking import Claim, ClaimState
from relvan.demo.warehouses import make_inserts, make_layouts
from relvan.gateways.carriers.dialects import CARRIERS, dialect_of
from relvan.services.shipping.carriage import save_carriage_rule
from relvan.services.shipping.claims import note_claim
from relvan.services.shipping.tracking import follow_parcels
from relvan.services.workplace import Actor, Workplace
from relvan.store.dispatch import parcel_by_id, parcels_of, shipment_by_id
from relvan.store.orders import shipment_rows
from relvan.store.tables import Carrier, Parcel

# what becomes of the first parcel that left so many days ago
FATES = (((25, 40), "lost"), ((16, 24), "lost"), ((16, 40), "late"), ((2, 8), "late"))
REWEIGHED_PERCENT = 12


RULES = (
    CarriageRule("Dear goods", RuleTake.CHEAPEST, least_value=10_000, signature=True, insured=True),
    CarriageRule("The islands by post", RuleTake.NAMED, ("ostrel:tracked",), ("IE",), ("F2", "V9")),
    CarriageRule("Small gifts arrive soon", RuleTake.FASTEST, countries=("IE",), most_g=500),
)


def make_carriage_rules(workplace: Workplace, owner: Actor) -> None:
    """Creates the seller's rules about which service carries what."""
    for rule in RULES:
        save_carriage_rule(workplace, owner, rule)


def follow_what_left(workplace: Workplace, owner: Actor, world: httpx.Client) -> None:
    """Lets the carriers of the outside world have carried what left in the past, and takes over what
    they say of it."""
    make_carriage_rules(workplace, owner)
    make_inserts(workplace, owner)
    make_layouts(workplace, owner)
    for key in CARRIERS:
        habits = {"late_percent": 5, "lost_percent": 1, "reweighed_percent": REWEIGHED_PERCENT}
        world.put(f"/world/{key}/habits", json=habits).raise_for_status()
    left = _left(workplace)
    _tell_world(world, left, {})
    promised = _promise(workplace, left)
    fates = _fates(left, promised, workplace.now())
    _tell_world(world, left, fates)
    follow_parcels(workplace, now_all=True)
    lost = [parcel_id for parcel_id, fate in fates.items() if fate == "lost"]
    if len(lost) > 1:
        claim = Claim(ClaimState.MADE, note="Sent to the carrier's desk for claims by letter.")
        note_claim(workplace, owner, min(lost), claim)


def _tell_world(
    world: httpx.Client, left: list[tuple[Parcel, datetime, Carrier]], fates: dict[int, str]
) -> None:
    """Tells the outside world when each label was bought, and what becomes of its parcel."""
    pasts: dict[str, dict[str, dict[str, str]]] = {}
    for parcel, at, carrier in left:
        past = {
            "bought_at": (at - timedelta(hours=1)).isoformat(),
            "fate": fates.get(parcel.id, "on time"),
        }
        pasts.setdefault(dialect_of(carrier.key), {})[parcel.tracking_number or ""] = past
    for key, told in pasts.items():
        world.put(f"/world/{key}/pasts", json=told).raise_for_status()


def _left(workplace: Workplace) -> list[tuple[Parcel, datetime, Carrier]]:
    """Returns the parcels that have left with a carrier, each with when it did."""
    found = []
    with workplace.database.reading() as session:
        for row in shipment_rows(session, states=[ShipmentState.DISPATCHED], limit=2000):
            at = shipment_by_id(session, row.id).dispatched_at
            for parcel in parcels_of(session, row.id):
                if at is not None and parcel.carrier_id and parcel.tracking_number:
                    found.append((parcel, at, session.get_one(Carrier, parcel.carrier_id)))
    return found


def _fates(
    left: list[tuple[Parcel, datetime, Carrier]], promised: dict[int, str], now: datetime
) -> dict[int, str]:
    """Returns what becomes of a few parcels: two that left some weeks ago were lost, one came late, and of
    those that left in this week one that should have arrived has not."""
    today = now.date().isoformat()
    fates: dict[int, str] = {}
    for (least, most), fate in FATES:
        fitting = [
            parcel.id
            for parcel, at, _ in left
            if least <= (now - at).days <= most
            and parcel.id not in fates
            and promised.get(parcel.id, today) < today
        ]
        if fitting:
            fates[fitting[0]] = fate
    return fates


def _promise(workplace: Workplace, left: list[tuple[Parcel, datetime, Carrier]]) -> dict[int, str]:
    """Saves the day of arrival that the carrier says now that the label was bought in the past; returns
    them by parcel."""
    days: dict[int, str] = {}
    for parcel, _, carrier in left:
        label = workplace.carrier(carrier).find_label(parcel.label_key or "")
        if label is not None and label.arrives:
            days[parcel.id] = date.fromisoformat(label.arrives).isoformat()
    with workplace.database.writing() as session:
        for parcel_id, day in days.items():
            parcel_by_id(session, parcel_id).arrives_on = day
    return days
