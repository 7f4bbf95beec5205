"""Finds what a code on a paper of the dispatch names."""

from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.store.tables import Manifest, Parcel, PickList, Shipment


class FoundPaper(NamedTuple):
    """A shipment, pick list, parcel or manifest that a code names: its kind, its id, and its words. Of a
    parcel the id is that of its shipment."""

    kind: str
    id: int
    words: str


def papers_called(session: Session, code: str) -> list[FoundPaper]:
    """Returns what has exactly this number: shipments, pick lists, parcels by tracking number, and
    manifests by ours or the carrier's."""
    number = code.strip().upper()
    found = [
        FoundPaper("shipment", row.id, f"{row.number}, {row.state}")
        for row in session.scalars(select(Shipment).where(Shipment.number == number).limit(2))
    ]
    found += [
        FoundPaper("pick list", row.id, f"{row.number}, {row.state}")
        for row in session.scalars(select(PickList).where(PickList.number == number).limit(2))
    ]
    found += [
        FoundPaper("parcel", row.shipment_id, f"{row.tracking_number}, {row.weight_g} g")
        for row in session.scalars(select(Parcel).where(Parcel.tracking_number == number).limit(2))
    ]
    called = (Manifest.number == number) | (Manifest.carrier_number == number)
    found += [
        FoundPaper("manifest", row.id, row.number)
        for row in session.scalars(select(Manifest).where(called).limit(2))
    ]
    return found
