"""Manifests: at the day's end a carrier takes what was dispatched, once. The key of each is saved first, so
that a lost answer never makes a second one.
"""

from dataclasses import dataclass
from datetime import datetime

from relvan.core.papers.layouts import PaperKind, PaperSize, Values, drawn, lay_out
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.core.setup.numbering import Series
from relvan.documents.layout import layout_pdf
from relvan.documents.manifest import manifest_pdf
from relvan.documents.paper import written_moment
from relvan.gateways.calling import OutsideRefusal, OutsideTrouble
from relvan.services import audit
from relvan.services.counters import next_number
from relvan.services.setup.firm import logo_of
from relvan.services.shipping.papers import firm_values, kilograms
from relvan.services.workplace import Actor, Workplace
from relvan.store.channels import find_carrier
from relvan.store.layouts import layout_for
from relvan.store.manifests import (
    ManifestParcel,
    manifest_by_id,
    parcels_for,
    parcels_on,
    put_on_manifest,
    unanswered_manifest,
)
from relvan.store.session import Session
from relvan.store.stock import warehouse_by_id, warehouse_by_key
from relvan.store.tables import Carrier, Manifest, Warehouse


@dataclass(frozen=True)
class ManifestPaper:
    """A manifest with its parcels, and the parcels that have a label and were not handed over."""

    number: str
    carrier: str
    carrier_number: str
    warehouse: str
    created: str
    parcels: tuple[ManifestParcel, ...]
    left: tuple[ManifestParcel, ...]


def make_manifest(workplace: Workplace, actor: Actor, carrier: str, warehouse: str) -> int:
    """Hands over all parcels of a carrier that were dispatched from a warehouse and stand on no manifest;
    returns the id of the manifest. Called again after a failure, it asks for the same one.

    Raises:
        Refused: if there is nothing to hand over, or the carrier does not answer or refuses.
    """
    actor.must(Right.DISPATCH)
    with workplace.database.writing() as session:
        account = find_carrier(session, carrier)
        if account is None:
            raise not_found("carrier", carrier)
        place = warehouse_by_key(session, warehouse)
        row = unanswered_manifest(session, account.id, place.id)
        row = row or _new(session, workplace, actor, account, place)
        manifest_id, key = row.id, row.key
        numbers = [parcel.tracking_number for parcel in parcels_on(session, row.id)]
    try:
        said = workplace.carrier(account).close_manifest(key, numbers)
    except OutsideTrouble as failure:
        raise refuse(
            "unreachable", f"{failure}.", "Make it again in a moment; it is the same one."
        ) from failure
    except OutsideRefusal as refusal:
        message = f"The carrier says: {refusal.words}."
        raise refuse("carrier-refused", message, "Look at the parcels.") from refusal
    with workplace.database.writing() as session:
        row = manifest_by_id(session, manifest_id)
        if not row.carrier_number:
            row.carrier_number = said
            subject = audit.Subject("manifest", row.id)
            deed = f"{len(numbers)} parcels handed over to {account.name} as {said}"
            audit.record(session, actor, workplace.now(), subject, deed)
    return manifest_id


def _new(
    session: Session, workplace: Workplace, actor: Actor, account: Carrier, place: Warehouse
) -> Manifest:
    parcels = parcels_for(session, account.id, place.id, sent=True)
    if not parcels:
        message = f"Nothing that was dispatched with {account.name} from {place.name} waits."
        raise refuse("nothing", message, "Dispatch shipments first.")
    number = next_number(session, Series.MANIFEST, workplace.local_now())
    row = Manifest(
        number=number,
        carrier_id=account.id,
        warehouse_id=place.id,
        key=f"{number}-{workplace.new_key()[:8]}",
        person_id=actor.person_id,
        created_at=workplace.now(),
    )
    session.add(row)
    session.flush()
    put_on_manifest(session, row.id, [parcel.id for parcel in parcels])
    return row


def manifest_sheet(workplace: Workplace, manifest_id: int, layout: int = 0) -> bytes:
    """Returns a manifest as a page to print, in the layout with an id where one is named."""
    with workplace.database.reading() as session:
        moment = manifest_by_id(session, manifest_id).created_at
        row = layout_for(session, PaperKind.MANIFEST, "", chosen=layout)
    created = _written(workplace, moment)
    if row is None:
        return manifest_pdf(manifest_paper(workplace, manifest_id, created))
    page = lay_out(row.body, manifest_values(workplace, manifest_id)).html
    return layout_pdf([(page, PaperSize(row.size))], logo=logo_of(workplace))


def _written(workplace: Workplace, moment: datetime) -> str:
    return written_moment(moment, workplace.firm.locale, workplace.firm.time_zone)


def manifest_values(workplace: Workplace, manifest_id: int) -> Values:
    """Returns what a layout can say of a manifest."""
    with workplace.database.reading() as session:
        moment = manifest_by_id(session, manifest_id).created_at
    paper = manifest_paper(workplace, manifest_id, _written(workplace, moment))
    number = paper.carrier_number or paper.number
    return {
        "firm": firm_values(workplace),
        "paper": {
            "number": paper.number,
            "carrier": paper.carrier,
            "carrier_number": paper.carrier_number,
            "warehouse": paper.warehouse,
            "day": paper.created,
            "parcels": str(len(paper.parcels)),
            "weight": kilograms(sum(one.weight_g for one in paper.parcels)),
        },
        "parcels": [_parcel(one) for one in paper.parcels],
        "left": [_parcel(one) for one in paper.left],
        "barcode": {"number": drawn("code128", number), "number_qr": drawn("qr", number)},
    }


def _parcel(parcel: ManifestParcel) -> dict[str, str]:
    names = ("tracking_number", "order", "shipment", "receiver", "country")
    told = {name: str(getattr(parcel, name)) for name in names}
    return {**told, "weight": kilograms(parcel.weight_g)}


def manifest_paper(workplace: Workplace, manifest_id: int, created: str) -> ManifestPaper:
    """Returns what a manifest says; `created` is its moment as it is written."""
    with workplace.database.reading() as session:
        row = manifest_by_id(session, manifest_id)
        account = session.get_one(Carrier, row.carrier_id)
        left = parcels_for(session, row.carrier_id, row.warehouse_id, sent=False)
        return ManifestPaper(
            row.number,
            account.name,
            row.carrier_number,
            warehouse_by_id(session, row.warehouse_id).name,
            created,
            tuple(parcels_on(session, row.id)),
            tuple(left),
        )
