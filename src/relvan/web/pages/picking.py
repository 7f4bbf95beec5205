"""Serves pick lists: made, proposed, drafted, and walked with a scanner."""

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.papers.layouts import PaperKind
from relvan.core.picking.lists import ListSort, RoundKind
from relvan.core.refusal import Refused, not_found, refuse
from relvan.core.shipping.life import PickListState
from relvan.services.picking.drafts import (
    ListChange,
    ProposalRule,
    cancel_list,
    change_list,
    confirm_list,
    propose_lists,
)
from relvan.services.picking.elsewhere import found_elsewhere, send_from_elsewhere
from relvan.services.picking.figures import dispatch_figures
from relvan.services.picking.lists import MOST_SHIPMENTS, ListWish, make_pick_lists, record_pick
from relvan.services.picking.routes import route_of_list
from relvan.services.picking.undo import undo_pick
from relvan.services.shipping.layouts import list_pdf, slips_of_list
from relvan.store.dispatch import pick_list_rows
from relvan.store.people import active_people
from relvan.web.addresses import address_of
from relvan.web.asking_layout import ask_layout
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.floor_picture import floor_picture
from relvan.web.printed import printed
from relvan.web.reading import FormReader, day_of, fields_under

router = APIRouter(prefix="/dispatch")


@router.get("/figures", name="dispatch_figures_show")
def dispatch_figures_show(desk: At) -> HTMLResponse:
    """Shows how fast and surely was picked in the last 28 days, and what carriage cost."""
    figures = dispatch_figures(desk.workplace)
    most = max((one.an_hour for one in figures.pickers), default=0)
    return desk.page("dispatch/figures.html", "dispatch", figures=figures, most=most)


@router.post("/pick-lists", name="pick_list_make")
def pick_list_make(desk: At, form: Form) -> Response:
    """Creates a pick list of the ticked shipments for each warehouse in which they are."""
    return _made(desk, make_pick_lists(desk.workplace, desk.actor, form.ids("pick"), _how(form)))


def _how(form: PostedForm) -> ListWish:
    """Returns how a form wants its lists."""
    kind, sort = form.get("kind", RoundKind.MANY), form.get("sort", ListSort.PLACE)
    if kind not in list(RoundKind) or sort not in list(ListSort):
        raise refuse("not-allowed", f"There are no lists “{kind}” by “{sort}”.", "", "kind")
    return ListWish(
        RoundKind(kind), ListSort(sort), form.get("name", ""), form.get("draft") == "yes"
    )


@router.post("/propose", name="pick_list_propose")
def pick_list_propose(desk: At, form: Form) -> Response:
    """Makes drafts of what waits to be picked and fits a rule."""
    read = FormReader(form)
    most = read.whole("most", "At most") or MOST_SHIPMENTS
    read.raise_if_refused()
    rule = ProposalRule(
        form.get("warehouse", ""),
        form.get("channel", ""),
        day_of(form.get("promised_by", ""), "promised_by"),
        form.get("single_line") == "yes",
        most,
        form.get("zone", "").strip(),
        form.get("cut_off") == "yes",
    )
    return _made(desk, propose_lists(desk.workplace, desk.actor, rule, _how(form)))


def _made(desk: Desk, made: Sequence[int]) -> Response:
    """Returns to the list that was made, or to all of them."""
    with desk.workplace.database.reading() as session:
        lists = [row for made_id in made for row in pick_list_rows(session, pick_list_id=made_id)]
    words = f"{' and '.join(f'{row.number} in {row.warehouse}' for row in lists)}: created."
    if len(lists) == 1:
        return desk.done(f"/dispatch/pick-lists/{lists[0].id}", words)
    return desk.done("/dispatch?stage=picking", words)


def _walk(
    desk: Desk, pick_list_id: int, *, refused: Refused | None = None, scanned: str = ""
) -> HTMLResponse:
    route = route_of_list(desk.workplace, pick_list_id)
    with desk.workplace.database.reading() as session:
        lists = pick_list_rows(session, pick_list_id=pick_list_id)
        people = active_people(session)
        elsewhere = found_elsewhere(session, pick_list_id)
    rows, trip = route.picks, route.trip
    is_open = lists[0].state == PickListState.OPEN
    current = next((row for row in rows if row.picked is None), None) if is_open else None
    values: dict[str, Any] = {
        "pick_list": lists[0],
        "rows": rows,
        "current": current,
        "scanned": scanned,
        "people": people,
        "elsewhere": elsewhere,
        "trip": trip,
        "picture": floor_picture(trip.plan, trip=trip, codes=[row.bin for row in rows])
        if trip and rows
        else None,
        "errors": first_by_field(refused.refusals) if refused else {},
        "refusals": refused.refusals if refused else (),
    }
    name = "draft" if lists[0].state == PickListState.DRAFT else "walk"
    return desk.page(f"dispatch/{name}.html", "dispatch", status=422 if refused else 200, **values)


@router.get("/pick-lists/{pick_list_id:int}", name="pick_list_show")
def pick_list_show(desk: At, pick_list_id: int) -> HTMLResponse:
    """Shows a pick list, one pick at a time."""
    return _walk(desk, pick_list_id)


@router.post("/pick-lists/{pick_list_id:int}/picks", name="pick_record")
def pick_record(desk: At, form: Form, pick_list_id: int) -> Response:
    """Records what the scanner read at one pick, and how many were taken."""
    read = FormReader(form)
    quantity, pick = read.needed_whole("quantity", "Quantity"), read.needed_whole("pick", "Pick")
    code = read.text("code")
    try:
        read.raise_if_refused()
        if not code and quantity:
            raise refuse(
                "no-scan", "Nothing was scanned.", "Scan the goods, or type their SKU.", "code"
            )
        picked = record_pick(desk.workplace, desk.actor, pick_list_id, pick, quantity, code or None)
    except Refused as refused:
        return _walk(desk, pick_list_id, refused=refused, scanned=code)
    path = f"/dispatch/pick-lists/{pick_list_id}"
    undo = address_of("pick_undo", pick_list_id=pick_list_id, pick_id=pick)
    if picked.short:
        words = "Short pick: what is missing is blocked until the bin is counted."
        if picked.instead:
            others = ", ".join(f"{units} from {code}" for code, units in picked.instead)
            words += f" Take {others} instead, at the end of the list."
        return desk.done(path, words, tone="look", undo_path=undo)
    return desk.done(path, "All is picked." if picked.list_done else "Picked.", undo_path=undo)


@router.post(
    "/pick-lists/{pick_list_id:int}/picks/{pick_id:int}/elsewhere", name="pick_send_elsewhere"
)
def pick_send_elsewhere(desk: At, form: Form, pick_list_id: int, pick_id: int) -> Response:
    """Lets another warehouse send what was not found."""
    place = form.get("warehouse", "")
    units = send_from_elsewhere(desk.workplace, desk.actor, pick_list_id, pick_id, place)
    words = f"{units} are promised from there; release the order to send them."
    return desk.done(f"/dispatch/pick-lists/{pick_list_id}", words)


@router.post("/pick-lists/{pick_list_id:int}/picks/{pick_id:int}/undo", name="pick_undo")
def pick_undo(desk: At, form: Form, pick_list_id: int, pick_id: int) -> Response:
    """Makes a pick open again, and undoes what a short pick blocked."""
    undo_pick(desk.workplace, desk.actor, pick_list_id, pick_id)
    return desk.done(f"/dispatch/pick-lists/{pick_list_id}", "The pick is open again.")


@router.get("/pick-lists/{pick_list_id:int}/sheet.pdf", name="pick_list_sheet")
def pick_list_sheet(desk: At, pick_list_id: int, layout: int | None = None) -> Response:
    """Returns the pick list as a page to print."""
    asked = ask_layout(desk, PaperKind.PICK_LIST, layout)
    return asked or printed(list_pdf(desk.workplace, pick_list_id, layout or 0))


@router.get("/pick-lists/{pick_list_id:int}/slips.pdf", name="pick_list_slips")
def pick_list_slips(desk: At, pick_list_id: int, layout: int | None = None) -> Response:
    """Returns the packing slips of a pick list as one PDF, in the order in which it is picked."""
    asked = ask_layout(desk, PaperKind.PACKING_SLIP, layout)
    return asked or printed(slips_of_list(desk.workplace, pick_list_id, layout or 0))


@router.post("/pick-lists/{pick_list_id:int}/change", name="pick_list_change")
def pick_list_change(desk: At, form: Form, pick_list_id: int) -> Response:
    """Changes a pick list, and confirms or cancels it where the form says so."""
    read = FormReader(form)
    units = {
        int(name): read.needed_whole(f"units_{name}", "Units")
        for name in fields_under(form, "units_")
        if name.isdigit()
    }
    deed = form.get("deed", "")
    if deed not in ("", "confirm", "cancel"):
        raise not_found("deed", deed)
    path = f"/dispatch/pick-lists/{pick_list_id}"
    try:
        read.raise_if_refused()
        if deed == "cancel":
            cancel_list(desk.workplace, desk.actor, pick_list_id)
            return desk.done("/dispatch", "The list is cancelled; its shipments wait again.")
        wish = ListChange(form.get("name"), form.get("person"), units)
        change_list(desk.workplace, desk.actor, pick_list_id, wish)
        if deed == "confirm":
            confirm_list(desk.workplace, desk.actor, pick_list_id)
    except Refused as refused:
        return _walk(desk, pick_list_id, refused=refused)
    return desk.done(path, "It can be picked." if deed == "confirm" else "Saved.")
