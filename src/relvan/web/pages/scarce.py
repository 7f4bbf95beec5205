"""Serves the page on which a person chooses who gets goods that are not enough for all."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.scarce import ServeBy
from relvan.services.orders.scarce import Alternative, contest, serve_by_choice
from relvan.store.channels import channel_names
from relvan.web.desk import At, Form

router = APIRouter(prefix="/orders/scarce")
WORDS = {
    ServeBy.AGE: "The oldest first",
    ServeBy.MOST: "Most orders whole",
    ServeBy.MONEY: "Most money",
}


@router.get("", name="scarce_index")
def scarce_index(desk: At) -> HTMLResponse:
    """Shows the alternatives beside each other."""
    found = contest(desk.workplace)
    with desk.workplace.database.reading() as session:
        names = dict(channel_names(session, ended=True))

    def words(one: Alternative) -> str:
        return f"{names.get(one.first, one.first)} first" if one.first else WORDS[one.by]

    told = [(one, words(one)) for one in found.alternatives]
    return desk.page("orders/scarce.html", "orders", found=found, alternatives=told)


@router.post("", name="scarce_choose")
def scarce_choose(desk: At, form: Form) -> Response:
    """Reserves for the orders that the chosen alternative serves."""
    verdicts = serve_by_choice(
        desk.workplace,
        desk.actor,
        form.get("by", ""),
        first=form.get("first", ""),
        keep=form.get("keep") == "yes",
    )
    return desk.verdicts("/orders/scarce", verdicts, "Reserved", undo_path="/orders/do/unreserve")
