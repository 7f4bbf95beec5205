"""Serves parcels that have left, what has happened to them, and claims over HTTP."""

from datetime import date
from typing import Annotated, Any

from fastapi.responses import StreamingResponse
from pydantic import Field

from relvan.api.desk import By, Cursor, Limit, OneOf, api_router, gives_file, page_of
from relvan.api.shapes import Shape, amount_of
from relvan.core.shipping.tracking import MOST_NOTE, Claim, ClaimState, parcel_standing
from relvan.services.shipping.claims import ClaimFacts, claim_facts, note_claim, parcels_file
from relvan.services.shipping.tracking import follow_now, tracked
from relvan.store.parcels import LeftParcel, ParcelList, ParcelWish, left_parcels

router = api_router(tags=["dispatch"])
ListName = Annotated[str, OneOf("list", tuple(str(one) for one in ParcelList))]


def _list(name: str) -> ParcelList:
    return ParcelList(name or ParcelList.UNDER_WAY)


@router.get("/parcels")
def list_parcels(
    by: By,
    list: ListName = "under way",
    carrier: str = "",
    limit: Limit = 50,
    after: Cursor = 0,
) -> dict[str, Any]:
    """Returns parcels that have left, the latest first. `list` is a standing (under way, late, missing,
    lost, delivered), look (late or lost without a claim), charged (otherwise than quoted) or claims."""
    now = by.workplace.now()
    with by.workplace.database.reading() as session:
        rows = left_parcels(session, ParcelWish(_list(list), carrier, after), now, limit + 1)
    shown, more = page_of(rows, limit, lambda row: row.id)
    items = [{**_row(row), "standing": str(parcel_standing(tracked(row), now))} for row in shown]
    return {"items": items, "next": more}


def _row(row: LeftParcel) -> dict[str, Any]:
    return {
        "id": row.id,
        "shipment": row.shipment_id,
        "order": row.order,
        "carrier": row.carrier,
        "service": row.service,
        "tracking_number": row.tracking_number,
        "dispatched_at": row.dispatched_at,
        "arrives_on": row.arrives_on,
        "stage": row.stage,
        "stage_at": row.stage_at,
        "quoted": amount_of(row.price, row.currency),
        "charged": amount_of(row.charged, row.currency),
        "claim": row.claim_state or None,
    }


@router.get("/parcels.csv", **gives_file("text/csv"))
def get_parcels_file(by: By, list: ListName = "under way", carrier: str = "") -> StreamingResponse:
    """Returns the same list as CSV, with all that claims need."""
    wish = ParcelWish(_list(list), carrier)
    return StreamingResponse(parcels_file(by.workplace, wish), media_type="text/csv")


@router.post("/parcels/follow")
def post_follow(by: By) -> dict[str, Any]:
    """Asks every carrier at once what has become of the parcels under way, and what it charges."""
    followed = follow_now(by.workplace, by.actor)
    return {
        "asked": followed.asked,
        "moved": followed.moved,
        "manifests_billed": followed.billed,
        "trouble": [*followed.trouble],
    }


@router.get("/parcels/{parcel_id}")
def get_parcel(by: By, parcel_id: int) -> dict[str, Any]:
    """Returns a parcel that has a label, with what has happened to it and the facts of a claim."""
    return _told(claim_facts(by.workplace, parcel_id))


def _told(facts: ClaimFacts) -> dict[str, Any]:
    parcel = facts.parcel
    return {
        "id": parcel.id,
        "shipment": facts.shipment.id,
        "order": facts.order.number,
        "carrier": facts.carrier,
        "service": parcel.service,
        "tracking_number": parcel.tracking_number,
        "standing": str(facts.standing),
        "stage": parcel.stage,
        "arrives_on": date.fromisoformat(parcel.arrives_on) if parcel.arrives_on else None,
        "days_late": facts.days_late,
        "manifest": facts.manifest.carrier_number if facts.manifest else None,
        "weight_g": parcel.weight_g,
        "quoted": amount_of(parcel.price, parcel.currency),
        "charged": amount_of(parcel.charged, parcel.currency),
        "charge_reason": parcel.charge_reason,
        "events": [
            {"at": event.at, "stage": event.stage, "words": event.words} for event in facts.events
        ],
        "goods": [
            {"sku": one.sku, "title": one.title, "quantity": one.quantity} for one in facts.goods
        ],
        "goods_value": amount_of(facts.goods_value, facts.order.currency),
        "claim": {
            "state": parcel.claim_state or None,
            "paid": amount_of(parcel.claim_amount, parcel.currency),
            "note": parcel.claim_note,
            "since": parcel.claimed_at,
        },
    }


class ClaimShape(Shape):
    """How far a claim is: made, paid (with the amount in minor units of the carriage's currency),
    refused, or none."""

    state: Annotated[str, OneOf("state", ("none", "made", "paid", "refused"))]
    amount: int | None = Field(default=None, ge=0, le=10**12)
    note: str = Field(default="", max_length=MOST_NOTE)


@router.put("/parcels/{parcel_id}/claim")
def put_claim(by: By, parcel_id: int, wish: ClaimShape) -> dict[str, Any]:
    """Notes how far the claim for a parcel is."""
    state = ClaimState("" if wish.state == "none" else wish.state)
    note_claim(by.workplace, by.actor, parcel_id, Claim(state, wish.amount, wish.note))
    return _told(claim_facts(by.workplace, parcel_id))
