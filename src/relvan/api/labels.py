"""Serves labels for many shipments, voiding and reprinting, and manifests over HTTP."""

from typing import Annotated, Any

from fastapi.responses import Response
from pydantic import Field

from relvan.api.described import Named, described_text
from relvan.api.desk import By, LayoutId, api_router, gives_file
from relvan.api.shapes import Shape, amount_of, verdicts_of
from relvan.core.setup.warehouses import KEY
from relvan.services.picking.figures import dispatch_figures
from relvan.services.shipping.manifests import make_manifest, manifest_paper, manifest_sheet
from relvan.services.shipping.voids import label_many, note_reprint, void_label
from relvan.store.manifests import manifest_rows

router = api_router(tags=["dispatch"])


class ManyLabels(Shape):
    """Shipments for which labels are bought; without a service each takes the cheapest that arrives by
    its promised day, else the fastest."""

    shipments: list[Named] = Field(min_length=1, max_length=500)
    service: str = Field(default="", max_length=100)


@router.get("/dispatch/figures")
def get_dispatch_figures(by: By) -> dict[str, Any]:
    """Returns how fast and surely was picked in the last 28 days, and what carriers quoted and billed
    beside what customers paid for delivery (`charged`), and how full cartons are."""
    figures = dispatch_figures(by.workplace)
    return {
        "pickers": [
            {
                "person": one.person,
                "rounds": one.rounds,
                "lines": one.lines,
                "lines_an_hour": one.an_hour,
                "short_picks": one.short,
                "wrong_scans": one.wrong,
            }
            for one in figures.pickers
        ],
        "carriage": [
            {
                "carrier": one.carrier,
                "orders": one.orders,
                "parcels": one.parcels,
                "paid": amount_of(one.paid, one.currency),
                "charged": amount_of(one.charged, one.currency),
                "billed": amount_of(one.billed, one.currency),
            }
            for one in figures.carriage
        ],
        "cartons": [
            {
                "carton": one.carton,
                "parcels": one.parcels,
                "units": one.units,
                "fill": round(one.fill, 4),
            }
            for one in figures.cartons
        ],
    }


@router.post("/labels")
def post_many_labels(by: By, wish: ManyLabels) -> dict[str, Any]:
    """Buys the labels of many shipments; a verdict for each."""
    return verdicts_of(label_many(by.workplace, by.actor, wish.shipments, wish.service))


@router.post("/parcels/{parcel_id}/void")
def post_void(by: By, parcel_id: int) -> dict[str, Any]:
    """Voids the label of a parcel that is not dispatched yet; another one can be bought then."""
    return {"parcel": parcel_id, "voided": void_label(by.workplace, by.actor, parcel_id)}


@router.post("/parcels/{parcel_id}/reprint")
def post_reprint(by: By, parcel_id: int) -> dict[str, Any]:
    """Notes that a label is printed once more; returns its address."""
    note_reprint(by.workplace, by.actor, parcel_id)
    return {"parcel": parcel_id, "label": f"/api/v1/parcels/{parcel_id}/label.pdf"}


class NewManifest(Shape):
    """The carrier account and the warehouse whose parcels are handed over."""

    carrier: str = Field(max_length=60)
    warehouse: Annotated[str, described_text(KEY, 40)]


@router.get("/manifests")
def list_manifests(by: By) -> dict[str, Any]:
    """Returns manifests, the newest first."""
    with by.workplace.database.reading() as session:
        rows = manifest_rows(session)
    items = [
        {
            "id": row.id,
            "number": row.number,
            "carrier": row.carrier,
            "carrier_number": row.carrier_number,
            "parcels": row.parcels,
        }
        for row in rows
    ]
    return {"items": items, "next": None}


@router.post("/manifests", status_code=201)
def post_manifest(by: By, wish: NewManifest) -> dict[str, Any]:
    """Hands over what was dispatched with a carrier from a warehouse and stands on no manifest yet."""
    made = make_manifest(by.workplace, by.actor, wish.carrier, wish.warehouse)
    paper = manifest_paper(by.workplace, made, "")
    return {
        "id": made,
        "number": paper.number,
        "carrier_number": paper.carrier_number,
        "parcels": [parcel.tracking_number for parcel in paper.parcels],
        "not_handed_over": [parcel.tracking_number for parcel in paper.left],
    }


@router.get("/manifests/{manifest_id}.pdf", **gives_file("application/pdf"))
def get_manifest_pdf(by: By, manifest_id: int, layout: LayoutId = 0) -> Response:
    """Returns a manifest to print, in the layout with an id where one is named."""
    content = manifest_sheet(by.workplace, manifest_id, layout)
    return Response(content, media_type="application/pdf")
