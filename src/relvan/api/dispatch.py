"""Serves pick lists, shipments, parcels and labels over HTTP."""

from typing import Annotated, Any

from fastapi.responses import Response

from relvan.api.described import described_text
from relvan.api.desk import By, Caller, LayoutId, Limit, OneOf, api_router, gives_file
from relvan.api.shapes import (
    ElsewhereShape,
    LabelChoice,
    ListProposal,
    NewParcel,
    NewPickList,
    OrderNumbers,
    PickListChange,
    PickShape,
    amount_of,
    verdicts_of,
)
from relvan.core.packing.parcels import Packed
from relvan.core.picking.lists import ListSort, RoundKind, numbered_stops
from relvan.core.refusal import not_found
from relvan.core.setup.warehouses import KEY
from relvan.core.shipping.carriage import Extras
from relvan.core.shipping.life import PICK_LIST, SHIPMENT
from relvan.services.packing.parcels import add_parcel
from relvan.services.picking.drafts import (
    ListChange,
    ProposalRule,
    cancel_list,
    change_list,
    confirm_list,
    propose_lists,
)
from relvan.services.picking.elsewhere import found_elsewhere, send_from_elsewhere
from relvan.services.picking.lists import ListWish, make_pick_list, record_pick
from relvan.services.picking.put_back import put_back
from relvan.services.picking.routes import route_of_list
from relvan.services.picking.undo import undo_pick
from relvan.services.shipping.carriage import label_shipment, offered_services
from relvan.services.shipping.centres import hand_over, recall_shipment, send_to_centre
from relvan.services.shipping.customs import commercial_invoice
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import label_as_picture, label_pdf
from relvan.services.shipping.layouts import list_pdf, slips_pdf
from relvan.services.verdicts import refuse_with
from relvan.store.dispatch import (
    parcel_contents,
    parcels_of,
    pick_list_rows,
    pick_rows,
    shipment_by_id,
    shipment_line_rows,
)
from relvan.store.orders import order_by_id, shipment_rows
from relvan.store.stock import warehouse_by_id

router = api_router(tags=["dispatch"])


class OrdersToCentre(OrderNumbers):
    """Orders, and the key of the warehouse that is a centre."""

    warehouse: Annotated[str, described_text(KEY, 40)]


def _pick_list(by: Caller, pick_list_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        found = pick_list_rows(session, pick_list_id=pick_list_id)
        picks = pick_rows(session, pick_list_id)
    if not found:
        raise not_found("pick list", pick_list_id)
    stops = numbered_stops([pick.taken_as for pick in picks])
    return {
        "id": found[0].id,
        "number": found[0].number,
        "warehouse": found[0].warehouse_key,
        "state": found[0].state,
        "name": found[0].name,
        "kind": found[0].kind,
        "sort": found[0].sort,
        "person": found[0].login or None,
        "picks": [
            {
                "id": pick.id,
                "sku": pick.sku,
                "bin": pick.bin,
                "quantity": pick.quantity,
                "picked": pick.picked,
                "shipment": pick.shipment_id,
                "tote": pick.tote,
                "stop": stop,
            }
            for pick, stop in zip(picks, stops, strict=True)
        ],
    }


@router.get("/pick-lists")
def list_pick_lists(
    by: By, state: Annotated[str, OneOf("state", tuple(PICK_LIST))] = ""
) -> dict[str, Any]:
    """Returns pick lists, the newest first."""
    with by.workplace.database.reading() as session:
        rows = pick_list_rows(session, states=[state] if state else ())
    items = [
        {
            "id": row.id,
            "number": row.number,
            "warehouse": row.warehouse_key,
            "state": row.state,
            "picks": row.picks,
        }
        for row in rows
    ]
    return {"items": items, "next": None}


@router.post("/pick-lists", status_code=201)
def post_pick_list(by: By, wish: NewPickList) -> dict[str, Any]:
    """Creates one pick list for shipments of one warehouse. Of the kind `one` it takes one of them;
    with `draft` it waits to be confirmed."""
    how = ListWish(RoundKind(wish.kind), ListSort(wish.sort), wish.name, wish.draft)
    return _pick_list(by, make_pick_list(by.workplace, by.actor, wish.shipments, how))


@router.post("/pick-lists/propose", status_code=201)
def post_list_proposal(by: By, wish: ListProposal) -> dict[str, Any]:
    """Drafts pick lists of what waits to be picked and fits a rule, one for each warehouse."""
    told = wish.model_dump(exclude={"kind", "sort", "name"})
    how = ListWish(RoundKind(wish.kind), ListSort(wish.sort), wish.name, True)
    made = propose_lists(by.workplace, by.actor, ProposalRule(**told), how)
    return {"items": [_pick_list(by, one) for one in made], "next": None}


@router.patch("/pick-lists/{pick_list_id}")
def patch_pick_list(by: By, pick_list_id: int, change: PickListChange) -> dict[str, Any]:
    """Changes a pick list: its name, who picks it, and the units of a draft. What is taken off a draft
    stays promised to its orders."""
    wish = ListChange(change.name, change.person, change.units)
    change_list(by.workplace, by.actor, pick_list_id, wish)
    return _pick_list(by, pick_list_id)


@router.post("/pick-lists/{pick_list_id}/confirm")
def post_confirm(by: By, pick_list_id: int) -> dict[str, Any]:
    """Lets a draft be picked."""
    confirm_list(by.workplace, by.actor, pick_list_id)
    return _pick_list(by, pick_list_id)


@router.post("/pick-lists/{pick_list_id}/cancel")
def post_cancel_list(by: By, pick_list_id: int) -> dict[str, Any]:
    """Cancels a pick list of which nothing was picked; its shipments wait to be picked again."""
    cancel_list(by.workplace, by.actor, pick_list_id)
    return _pick_list(by, pick_list_id)


@router.get("/pick-lists/{pick_list_id}/route")
def get_route(by: By, pick_list_id: int) -> dict[str, Any]:
    """Returns the shortest walk past the bins of a pick list, with its picks in the order in which it
    comes to them. The lengths are empty while the warehouse has no plan."""
    found = route_of_list(by.workplace, pick_list_id)
    trip = found.trip
    if trip is None:
        ids = [pick.id for pick in found.picks]
        return {"length_m": None, "every_aisle_m": None, "path": [], "order": ids, "off_plan": ids}
    return {
        "length_m": trip.route.length_m,
        "every_aisle_m": trip.route.every_aisle_m,
        "saves_m": trip.saves_m,
        "proof": "exact" if trip.route.exact else "bound",
        "bound_m": trip.route.bound_m,
        "path": [list(point) for point in trip.route.path],
        "order": [found.picks[at].id for stop in trip.picks for at in stop],
        "off_plan": [found.picks[at].id for at in trip.off_plan],
    }


@router.get("/pick-lists/{pick_list_id}")
def get_pick_list(by: By, pick_list_id: int) -> dict[str, Any]:
    """Returns one pick list with its picks in the order of its route."""
    return _pick_list(by, pick_list_id)


@router.get("/pick-lists/{pick_list_id}/sheet.pdf", **gives_file("application/pdf"))
def get_sheet(by: By, pick_list_id: int, layout: LayoutId = 0) -> Response:
    """Returns the pick list as a page to print, in the layout with an id where one is named."""
    content = list_pdf(by.workplace, pick_list_id, layout)
    return Response(content, media_type="application/pdf")


@router.post("/pick-lists/{pick_list_id}/picks")
def post_pick(by: By, pick_list_id: int, pick: PickShape) -> dict[str, Any]:
    """Records what was taken at one pick. Fewer units than asked make it a short pick: `instead` are the
    other bins in which the rest is picked, and `elsewhere` the other warehouses that have what is still
    lacking."""
    picked = record_pick(by.workplace, by.actor, pick_list_id, pick.pick, pick.quantity, pick.code)
    with by.workplace.database.reading() as session:
        elsewhere = found_elsewhere(session, pick_list_id) if picked.short else []
    return {
        **_pick_list(by, pick_list_id),
        "short": picked.short,
        "instead": [{"bin": code, "units": units} for code, units in picked.instead],
        "elsewhere": [
            {"pick": one.pick_id, "warehouse": one.warehouse, "units": one.units}
            for one in elsewhere
        ],
    }


@router.post("/pick-lists/{pick_list_id}/picks/{pick_id}/elsewhere")
def post_pick_elsewhere(
    by: By, pick_list_id: int, pick_id: int, wish: ElsewhereShape
) -> dict[str, Any]:
    """Promises what a short pick lacks from another warehouse."""
    units = send_from_elsewhere(by.workplace, by.actor, pick_list_id, pick_id, wish.warehouse)
    return {"pick": pick_id, "warehouse": wish.warehouse, "units": units}


@router.post("/pick-lists/{pick_list_id}/picks/{pick_id}/undo")
def post_pick_undo(by: By, pick_list_id: int, pick_id: int) -> dict[str, Any]:
    """Makes a pick open again. What a short pick blocked and gave up is restored."""
    undo_pick(by.workplace, by.actor, pick_list_id, pick_id)
    return _pick_list(by, pick_list_id)


def _shipment(by: Caller, shipment_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = order_by_id(session, shipment.order_id)
        warehouse = warehouse_by_id(session, shipment.warehouse_id)
        lines, parcels = shipment_line_rows(session, shipment_id), parcels_of(session, shipment_id)
        contents = parcel_contents(session, shipment_id)
    return {
        "id": shipment.id,
        "number": shipment.number,
        "order": order.number,
        "warehouse": warehouse.key,
        "state": shipment.state,
        "said": shipment.said,
        "recalled": shipment.recall,
        "lines": [
            {
                "sku": line.sku,
                "quantity": line.quantity,
                "picked": line.picked,
                "packed": line.packed,
            }
            for line in lines
        ],
        "parcels": [
            {
                "id": parcel.id,
                "weight_g": parcel.weight_g,
                "carton": parcel.carton,
                "lines": [
                    {"sku": content.sku, "quantity": content.quantity}
                    for content in contents
                    if content.parcel_id == parcel.id
                ],
                "tracking_number": parcel.tracking_number,
                "price": amount_of(parcel.price, parcel.currency),
                "stage": parcel.stage,
                "arrives_on": parcel.arrives_on,
                "signature": parcel.signature,
                "insured": parcel.insured,
                "label": f"/api/v1/parcels/{parcel.id}/label.pdf"
                if parcel.tracking_number and parcel.carrier_id
                else None,
            }
            for parcel in parcels
        ],
    }


@router.get("/shipments")
def list_shipments(
    by: By,
    state: Annotated[str, OneOf("state", tuple(SHIPMENT))] = "",
    warehouse: str = "",
    limit: Limit = 50,
) -> dict[str, Any]:
    """Returns shipments, the oldest first."""
    with by.workplace.database.reading() as session:
        rows = shipment_rows(
            session, states=(state,) if state else (), warehouse=warehouse, limit=limit
        )
    items = [
        {
            "id": row.id,
            "number": row.number,
            "order": row.order,
            "warehouse": row.warehouse_key,
            "state": row.state,
        }
        for row in rows
    ]
    return {"items": items, "next": None}


@router.get("/shipments/{shipment_id}")
def get_shipment(by: By, shipment_id: int) -> dict[str, Any]:
    """Returns one shipment with its parcels."""
    return _shipment(by, shipment_id)


@router.get("/shipments/{shipment_id}/packing-slip.pdf", **gives_file("application/pdf"))
def get_slip(by: By, shipment_id: int, layout: LayoutId = 0) -> Response:
    """Returns the packing slip, in the layout with an id where one is named."""
    content = slips_pdf(by.workplace, [shipment_id], layout)
    return Response(content, media_type="application/pdf")


@router.post("/shipments/{shipment_id}/parcels", status_code=201)
def post_parcel(by: By, shipment_id: int, wish: NewParcel) -> dict[str, Any]:
    """Closes one parcel."""
    lines = [Packed(line.sku, line.quantity) for line in wish.lines]
    parcel_id = add_parcel(by.workplace, by.actor, shipment_id, lines, wish.weight_g, wish.carton)
    return {**_shipment(by, shipment_id), "parcel": parcel_id}


@router.get("/shipments/{shipment_id}/services")
def get_services(
    by: By, shipment_id: int, signature: bool | None = None, insured: bool | None = None
) -> dict[str, Any]:
    """Returns the services that take every parcel of the shipment, the cheapest first, and the one that
    the seller's rules choose. Without `signature` and `insured`, what the rules want besides counts."""
    wanted = signature is not None or insured is not None
    extras = Extras(bool(signature), bool(insured)) if wanted else None
    offered = offered_services(by.workplace, shipment_id, extras)
    items = [
        {
            "service": service.service,
            "carrier": service.carrier,
            "name": service.name,
            "price": amount_of(service.price, service.currency),
            "arrives": service.arrives,
        }
        for service in offered.services
    ]
    chosen = offered.chosen
    return {
        "items": items,
        "next": None,
        "chosen": chosen and chosen.offer.service,
        "rule": chosen and chosen.rule and chosen.rule.name,
        "signature": offered.extras.signature,
        "insured": offered.extras.insured,
    }


@router.post("/shipments/{shipment_id}/labels", status_code=201)
def post_labels(by: By, shipment_id: int, wish: LabelChoice) -> dict[str, Any]:
    """Buys a label for every parcel that has none, and does what the carrier account says comes after."""
    extras = Extras(wish.signature, wish.insured)
    label_shipment(by.workplace, by.actor, shipment_id, wish.service, extras)
    return _shipment(by, shipment_id)


@router.post("/shipments/{shipment_id}/dispatch")
def post_dispatch(by: By, shipment_id: int) -> dict[str, Any]:
    """Sends a shipment off. Once it has left, repeating the call changes nothing."""
    verdict = dispatch_shipments(by.workplace, by.actor, [shipment_id])[0]
    refuse_with(verdict)
    return _shipment(by, shipment_id)


@router.post("/shipments/{shipment_id}/put-back")
def post_goods_put_back(by: By, shipment_id: int) -> dict[str, Any]:
    """Ends a shipment of a cancelled order, whose goods lie in their bins again. Once it is ended,
    repeating the call changes nothing."""
    put_back(by.workplace, by.actor, shipment_id)
    return _shipment(by, shipment_id)


@router.post("/shipments/{shipment_id}/hand-over")
def post_hand_over(by: By, shipment_id: int) -> dict[str, Any]:
    """Hands a shipment over that waits for it. Once its centre has it, repeating the call changes
    nothing."""
    (verdict,) = hand_over(by.workplace, by.actor, [shipment_id])
    refuse_with(verdict)
    return _shipment(by, shipment_id)


@router.post("/shipments/{shipment_id}/recall")
def post_recall(by: By, shipment_id: int) -> dict[str, Any]:
    """Asks a centre to give a shipment back. What it answers stands in `said`."""
    recall_shipment(by.workplace, by.actor, shipment_id)
    return _shipment(by, shipment_id)


@router.post("/orders/send-to-centre")
def post_send_to_centre(by: By, wish: OrdersToCentre) -> dict[str, Any]:
    """Hands orders over to a marketplace's centre, as far as it has the goods. A verdict per order."""
    return verdicts_of(send_to_centre(by.workplace, by.actor, wish.numbers, wish.warehouse))


@router.get("/parcels/{parcel_id}/label.pdf", **gives_file("application/pdf"))
def get_label(by: By, parcel_id: int) -> Response:
    """Returns the label as PDF, in the size that its account says."""
    return Response(label_pdf(by.workplace, parcel_id), media_type="application/pdf")


@router.get("/parcels/{parcel_id}/label.png", **gives_file("image/png"))
def get_label_picture(by: By, parcel_id: int) -> Response:
    """Returns the label as PNG, where its account buys labels so."""
    return Response(label_as_picture(by.workplace, parcel_id), media_type="image/png")


@router.get("/shipments/{shipment_id}/commercial-invoice.pdf", **gives_file("application/pdf"))
def get_commercial_invoice(by: By, shipment_id: int) -> Response:
    """Returns the commercial invoice of a shipment for customs."""
    content = commercial_invoice(by.workplace, shipment_id)
    return Response(content, media_type="application/pdf")
