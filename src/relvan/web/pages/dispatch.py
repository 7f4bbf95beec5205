"""Serves the pages of dispatch: shipments by stage, packing, labels, and sending off."""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.packing.parcels import Packed
from relvan.core.papers.layouts import PaperKind
from relvan.core.refusal import Refused, refuse
from relvan.core.shipping.carriage import Extras
from relvan.core.shipping.life import (
    LISTS_TO_WALK,
    OPEN_SHIPMENTS,
    WITH_CENTRE,
    ShipmentState,
)
from relvan.services.packing.parcels import add_parcel, remove_parcel, weigh
from relvan.services.picking.put_back import put_back
from relvan.services.shipping.carriage import label_shipment, offered_services
from relvan.services.shipping.centres import hand_over, recall_shipment
from relvan.services.shipping.customs import commercial_invoice, is_abroad
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import label_as_picture, label_pdf
from relvan.services.shipping.layouts import carton_labels_pdf, slips_pdf
from relvan.services.shipping.manifests import make_manifest, manifest_sheet
from relvan.services.shipping.voids import label_many, void_label
from relvan.store.centres import centres
from relvan.store.channels import channels
from relvan.store.dispatch import (
    parcel_by_id,
    parcel_contents,
    parcels_of,
    pick_list_rows,
    shipment_by_id,
    shipment_line_rows,
)
from relvan.store.layouts import layouts_of_kind
from relvan.store.manifests import manifest_by_id, manifest_rows, to_hand_over
from relvan.store.orders import order_by_id, shipment_rows
from relvan.store.stock import warehouse_by_id, warehouses
from relvan.web.asking_layout import ask_layout
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.printed import printed
from relvan.web.reading import FormReader, fields_under

router = APIRouter(prefix="/dispatch")
STAGES = (
    ("to pick", "To pick"),
    ("picking", "Being picked"),
    ("to pack", "To pack"),
    ("to ship", "To ship"),
    ("dispatched", "Dispatched"),
)
AT_CENTRES = (("to hand over", "To hand over"), ("handed over", "With a centre"))


def _states(stage: str) -> tuple[str, ...]:
    return WITH_CENTRE if stage == ShipmentState.HANDED_OVER else (stage,)


@router.get("", name="dispatch_index")
def dispatch_index(desk: At, stage: str = "to pick", warehouse: str = "") -> HTMLResponse:
    """Shows shipments by stage, and the open pick lists."""
    with desk.workplace.database.reading() as session:
        everything = shipment_rows(session, states=OPEN_SHIPMENTS, limit=2000)
        stages = (*STAGES[:-1], *(AT_CENTRES if centres(session) else ()), STAGES[-1])
        stage = stage if stage in dict(stages) else "to pick"
        rows = shipment_rows(session, states=_states(stage), warehouse=warehouse)
        values: dict[str, Any] = {
            "stage": stage,
            "stages": stages,
            "warehouse": warehouse,
            "warehouses": [(one.key, one.name) for one in warehouses(session)],
            "rows": rows,
            "stage_counts": {
                key: sum(row.state in _states(key) for row in everything) for key, _ in stages
            },
            "lists": pick_list_rows(session, states=LISTS_TO_WALK),
            "to_take": to_hand_over(session) if stage == "dispatched" else [],
            "manifests": manifest_rows(session, 8) if stage == "dispatched" else [],
            "channels": [(one.key, one.name) for one in channels(session)],
        }
    return desk.page("dispatch/index.html", "dispatch", **values)


def _shipment(
    desk: Desk,
    shipment_id: int,
    *,
    refused: Refused | None = None,
    typed: dict[str, str] | None = None,
    weight: int | None = None,
) -> HTMLResponse:
    offered, trouble = None, None
    with desk.workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = order_by_id(session, shipment.order_id)
        warehouse = warehouse_by_id(session, shipment.warehouse_id)
        lines, parcels = shipment_line_rows(session, shipment_id), parcels_of(session, shipment_id)
        contents = parcel_contents(session, shipment_id)
        slips = layouts_of_kind(session, PaperKind.PACKING_SLIP)
    standing = order.cancelled_at is None
    if (
        standing
        and shipment.state == ShipmentState.TO_SHIP
        and any(parcel.tracking_number is None for parcel in parcels)
    ):
        try:
            offered = offered_services(desk.workplace, shipment_id, _extras(typed))
        except Refused as failure:
            trouble = failure.first
    content_g = sum((line.weight_g or 0) * (line.picked - line.packed) for line in lines)
    values: dict[str, Any] = {
        "shipment": shipment,
        "order": order,
        "warehouse": warehouse,
        "lines": lines,
        "parcels": parcels,
        "contents": contents,
        "slips": slips,
        "offered": offered,
        "abroad": is_abroad(desk.workplace, shipment_id),
        "trouble": trouble,
        "content_g": content_g,
        "weight": weight,
        "typed": typed or {},
        "stages": STAGES,
        "errors": first_by_field(refused.refusals) if refused else {},
        "refusals": refused.refusals if refused else (),
    }
    return desk.page("dispatch/shipment.html", "dispatch", status=422 if refused else 200, **values)


@router.get("/shipments/{shipment_id:int}", name="shipment_show")
def shipment_show(desk: At, shipment_id: int) -> HTMLResponse:
    """Shows the packing and shipping of one shipment."""
    return _shipment(desk, shipment_id)


@router.post("/hand-over", name="shipment_hand_over")
def shipment_hand_over(desk: At, form: Form) -> Response:
    """Hands the ticked shipments over to their centres."""
    verdicts = hand_over(desk.workplace, desk.actor, form.ids("pick"))
    back = form.get("back", "") or "/dispatch?stage=to+hand+over"
    return desk.verdicts(
        back if back.startswith("/dispatch") else "/dispatch", verdicts, "Handed over"
    )


@router.post("/shipments/{shipment_id:int}/recall", name="shipment_recall")
def shipment_recall(desk: At, form: Form, shipment_id: int) -> Response:
    """Asks a centre to give a shipment back."""
    recall_shipment(desk.workplace, desk.actor, shipment_id)
    return desk.done(f"/dispatch/shipments/{shipment_id}", "The centre is asked to give it back.")


@router.post("/shipments/{shipment_id:int}/weigh", name="shipment_weigh")
def shipment_weigh(desk: At, form: Form, shipment_id: int) -> Response:
    """Reads the weight on the scale into the form."""
    try:
        return _shipment(
            desk, shipment_id, weight=weigh(desk.workplace, desk.actor), typed=dict(form)
        )
    except Refused as refused:
        return _shipment(desk, shipment_id, refused=refused, typed=dict(form))


@router.post("/shipments/{shipment_id:int}/parcels", name="parcel_add")
def parcel_add(desk: At, form: Form, shipment_id: int) -> Response:
    """Closes a parcel."""
    read = FormReader(form)
    grams = read.needed_whole("weight_g", "Weight")
    lines = [
        Packed(sku, read.whole(f"units_{sku}", "Units") or 0)
        for sku in fields_under(form, "units_")
    ]
    try:
        read.raise_if_refused()
        add_parcel(
            desk.workplace,
            desk.actor,
            shipment_id,
            [line for line in lines if line.quantity],
            grams,
            read.text("carton"),
        )
    except Refused as refused:
        return _shipment(desk, shipment_id, refused=refused, typed=dict(form))
    return desk.done(f"/dispatch/shipments/{shipment_id}", "Parcel packed.")


@router.post("/shipments/{shipment_id:int}/parcels/{parcel_id:int}/remove", name="parcel_remove")
def parcel_remove(desk: At, form: Form, shipment_id: int, parcel_id: int) -> Response:
    """Unpacks a parcel."""
    remove_parcel(desk.workplace, desk.actor, parcel_id)
    return desk.done(f"/dispatch/shipments/{shipment_id}", "Parcel unpacked.")


@router.post("/shipments/{shipment_id:int}/labels", name="label_buy")
def label_buy(desk: At, form: Form, shipment_id: int) -> Response:
    """Buys the labels of all parcels."""
    try:
        service, extras = form.get("service", ""), _extras(form) or Extras()
        if form.get("deed") == "ask":
            return _shipment(desk, shipment_id, typed=dict(form))
        if not service:
            raise refuse("missing", "No service is chosen.", "Choose one of the list.", "service")
        labelled = label_shipment(desk.workplace, desk.actor, shipment_id, service, extras)
    except Refused as refused:
        return _shipment(desk, shipment_id, refused=refused, typed=dict(form))
    words = f"Label bought: {', '.join(labelled.numbers)}."
    words += " The shipment is dispatched." if labelled.dispatched else ""
    return desk.done(f"/dispatch/shipments/{shipment_id}", words)


def _extras(typed: Mapping[str, str] | None) -> Extras | None:
    """Returns what a form wants besides, or None before there was a form."""
    if not typed or "extras" not in typed:
        return None
    return Extras(typed.get("signature") == "yes", typed.get("insured") == "yes")


@router.post("/do/labels", name="shipment_labels")
def shipment_labels(desk: At, form: Form) -> Response:
    """Buys the labels of the ticked shipments."""
    verdicts = label_many(desk.workplace, desk.actor, form.ids("pick"))
    return desk.verdicts("/dispatch?stage=to+ship", verdicts, "Labelled")


@router.post("/parcels/{parcel_id:int}/void", name="label_void")
def label_void(desk: At, form: Form, parcel_id: int) -> Response:
    """Voids a label."""
    number = void_label(desk.workplace, desk.actor, parcel_id)
    with desk.workplace.database.reading() as session:
        shipment_id = parcel_by_id(session, parcel_id).shipment_id
    return desk.done(f"/dispatch/shipments/{shipment_id}", f"Label {number} is void.")


@router.post("/manifests", name="manifest_make")
def manifest_make(desk: At, form: Form) -> Response:
    """Hands over to a carrier what was dispatched."""
    made = make_manifest(
        desk.workplace, desk.actor, form.get("carrier", ""), form.get("warehouse", "")
    )
    with desk.workplace.database.reading() as session:
        number = manifest_by_id(session, made).number
    return desk.done("/dispatch?stage=dispatched", f"Manifest {number} is made; print it below.")


@router.get("/manifests/{manifest_id:int}.pdf", name="manifest_show")
def manifest_show(desk: At, manifest_id: int, layout: int | None = None) -> Response:
    """Returns a manifest, to print."""
    asked = ask_layout(desk, PaperKind.MANIFEST, layout)
    return asked or printed(manifest_sheet(desk.workplace, manifest_id, layout or 0))


@router.post("/do/dispatch", name="shipment_dispatch")
def shipment_dispatch(desk: At, form: Form) -> Response:
    """Sends off the ticked shipments."""
    verdicts = dispatch_shipments(desk.workplace, desk.actor, form.ids("pick"))
    back = form.get("back", "")
    return desk.verdicts(
        back if back.startswith("/dispatch") else "/dispatch?stage=to+ship", verdicts, "Dispatched"
    )


@router.post("/shipments/{shipment_id:int}/put-back", name="shipment_put_back")
def shipment_put_back(desk: At, form: Form, shipment_id: int) -> Response:
    """Ends a shipment of a cancelled order, whose goods lie in their bins again."""
    put_back(desk.workplace, desk.actor, shipment_id)
    return desk.done(f"/dispatch/shipments/{shipment_id}", "Its goods are free again.")


@router.get("/shipments/{shipment_id:int}/packing-slip.pdf", name="packing_slip_show")
def packing_slip_show(desk: At, shipment_id: int, layout: int | None = None) -> Response:
    """Returns the packing slip, to print, in a layout of its own where one is chosen."""
    asked = ask_layout(desk, PaperKind.PACKING_SLIP, layout)
    return asked or printed(slips_pdf(desk.workplace, [shipment_id], layout or 0))


@router.get("/shipments/{shipment_id:int}/carton-labels.pdf", name="carton_labels_show")
def carton_labels_show(desk: At, shipment_id: int, layout: int | None = None) -> Response:
    """Returns a label for every carton of a shipment, to print."""
    asked = ask_layout(desk, PaperKind.CARTON_LABEL, layout)
    return asked or printed(carton_labels_pdf(desk.workplace, shipment_id, layout or 0))


@router.post("/do/slips", name="slips_show")
def slips_show(desk: At, form: Form) -> Response:
    """Returns the packing slips of the ticked shipments as one PDF."""
    picks = [int(one) for one in form.ids("pick")]
    chosen = form.id_of("layout") if "layout" in form else None
    fields = [("pick", str(one)) for one in picks]
    asked = ask_layout(desk, PaperKind.PACKING_SLIP, chosen, fields) if picks else None
    return asked or printed(slips_pdf(desk.workplace, picks, chosen or 0))


@router.get("/parcels/{parcel_id:int}/label.pdf", name="label_show")
def label_show(desk: At, parcel_id: int) -> Response:
    """Returns the label, to print."""
    return printed(label_pdf(desk.workplace, parcel_id))


@router.get("/parcels/{parcel_id:int}/label.png", name="label_picture")
def label_picture(desk: At, parcel_id: int) -> Response:
    """Returns the label as PNG, where it was bought so."""
    return Response(label_as_picture(desk.workplace, parcel_id), media_type="image/png")


@router.get("/shipments/{shipment_id:int}/commercial-invoice.pdf", name="commercial_invoice_show")
def commercial_invoice_show(desk: At, shipment_id: int) -> Response:
    """Returns the commercial invoice for customs, to print."""
    return printed(commercial_invoice(desk.workplace, shipment_id))
