"""Serves the pages of parcels that have left: where they are, what they cost, and claims."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from relvan.core.refusal import Refused, not_found
from relvan.core.shipping.tracking import Claim, ClaimState
from relvan.services.shipping.claims import claim_facts, note_claim, parcels_file
from relvan.services.shipping.tracking import follow_now
from relvan.store.channels import carriers
from relvan.store.dispatch import parcel_by_id
from relvan.store.parcels import ParcelList, ParcelWish, count_by_list, left_parcels
from relvan.web.desk import At, Desk, Form, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/dispatch")
PAGE = 100
NAMES = {
    ParcelList.UNDER_WAY: "Under way",
    ParcelList.LOOK: "To look at",
    ParcelList.LATE: "Late",
    ParcelList.MISSING: "Missing",
    ParcelList.LOST: "Lost",
    ParcelList.DELIVERED: "Delivered",
    ParcelList.CHARGED: "Charged otherwise",
    ParcelList.CLAIMS: "Claims",
}
TEACH = {
    ParcelList.UNDER_WAY: "Parcels come here when their shipment is dispatched, until they arrive.",
    ParcelList.LOOK: "No parcel is late or lost without a claim.",
    ParcelList.CHARGED: "Every carrier has charged what it quoted, as far as it has sent its bill.",
    ParcelList.CLAIMS: "No claim was made.",
}
CLAIM_WORDS = {
    ClaimState.NONE: "no claim",
    ClaimState.MADE: "made",
    ClaimState.PAID: "paid by the carrier",
    ClaimState.REFUSED: "refused by the carrier",
}


def _wish(show: str, carrier: str, before: int = 0) -> ParcelWish:
    if show not in set(ParcelList):
        raise not_found("list of parcels", show)
    return ParcelWish(ParcelList(show), carrier, before)


@router.get("/parcels", name="parcel_index")
def parcel_index(
    desk: At, show: str = "under way", carrier: str = "", before: int = 0
) -> HTMLResponse:
    """Shows parcels that have left."""
    wish, now = _wish(show, carrier, before), desk.workplace.now()
    with desk.workplace.database.reading() as session:
        rows = left_parcels(session, wish, now, PAGE + 1)
        counts = count_by_list(session, now)
        accounts = carriers(session)
    return desk.page(
        "dispatch/parcels.html",
        "dispatch",
        rows=rows[:PAGE],
        more=rows[PAGE - 1].id if len(rows) > PAGE else 0,
        counts=counts,
        names=NAMES,
        show=wish.shown,
        carrier=carrier,
        carriers=[(one.key, one.name) for one in accounts],
        teach=TEACH.get(wish.shown, "None."),
        claim_words=CLAIM_WORDS,
        today=now.date().isoformat(),
    )


@router.get("/parcels.csv", name="parcel_file")
def parcel_file(desk: At, show: str = "under way", carrier: str = "") -> Response:
    """Returns the same list as a file, with all that a claim needs."""
    wish = _wish(show, carrier)
    head = {"Content-Disposition": f'attachment; filename="parcels, {wish.shown}.csv"'}
    return StreamingResponse(
        parcels_file(desk.workplace, wish), media_type="text/csv", headers=head
    )


@router.post("/parcels/follow", name="parcel_follow")
def parcel_follow(desk: At, form: Form) -> Response:
    """Asks the carriers at once."""
    followed = follow_now(desk.workplace, desk.actor)
    words = f"Asked about {followed.asked} parcels; {followed.moved} have gone on."
    if followed.trouble:
        words += f" Not asked: {'; '.join(followed.trouble)}"
    return desk.done("/dispatch/parcels", words, tone="look" if followed.trouble else "good")


@router.get("/parcels/{parcel_id:int}", name="parcel_show")
def parcel_show(desk: At, parcel_id: int) -> HTMLResponse:
    """Shows what has happened to a parcel, with the facts of a claim."""
    return _page(desk, parcel_id)


def _page(
    desk: Desk, parcel_id: int, refused: Refused | None = None, typed: dict[str, str] | None = None
) -> HTMLResponse:
    return desk.page(
        "dispatch/parcel.html",
        "dispatch",
        status=422 if refused else 200,
        facts=claim_facts(desk.workplace, parcel_id),
        claim_words=CLAIM_WORDS,
        **last_try(typed, refused),
    )


@router.post("/parcels/{parcel_id:int}/claim", name="parcel_claim")
def parcel_claim(desk: At, form: Form, parcel_id: int) -> Response:
    """Notes how far the claim for a parcel is."""
    with desk.workplace.database.reading() as session:
        currency = parcel_by_id(session, parcel_id).currency
    read = FormReader(form)
    state = read.text("state")
    if state not in set(ClaimState):
        raise not_found("state of a claim", state)
    amount = read.amount("amount", currency or desk.workplace.firm.currency)
    try:
        read.raise_if_refused()
        claim = Claim(ClaimState(state), amount, read.text("note"))
        note_claim(desk.workplace, desk.actor, parcel_id, claim)
    except Refused as refused:
        return _page(desk, parcel_id, refused, dict(form))
    return desk.done(f"/dispatch/parcels/{parcel_id}", "The claim is noted.")
