"""Serves the page of what goes into parcels besides the goods."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.packing.inserts import Insert, insert_words
from relvan.core.refusal import Refused
from relvan.services.packing.inserts import delete_insert, insert_of, inserts, save_insert
from relvan.store.channels import channel_names
from relvan.web.desk import AtSetup, Desk, Form, PostedForm, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/inserts")
NEW = Insert("")


@router.get("", name="insert_index")
def insert_index(desk: AtSetup, insert: int = 0) -> HTMLResponse:
    """Shows all inserts, and the form of one of them or of a new one."""
    return _page(desk, insert_of(desk.workplace, insert) if insert else NEW)


def _page(desk: Desk, shown: Insert, refused: Refused | None = None) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows, channels = inserts(session), dict(channel_names(session, ended=True))
    return desk.page(
        "setup/inserts.html",
        "setup",
        status=422 if refused else 200,
        rows=[
            (row, insert_words(row, channels, desk.environment.filters["money"])) for row in rows
        ],
        shown=shown,
        channels=channels,
        **last_try({}, refused),
    )


def _read(desk: Desk, form: PostedForm) -> Insert:
    read = FormReader(form)
    weight = read.whole("weight_g", "Weight") or 0
    least = read.amount("least_value", desk.workplace.firm.currency)
    read.raise_if_refused()
    return Insert(
        read.text("name"),
        weight,
        tuple(form.all("channel")),
        tuple(form.get("countries", "").upper().replace(",", " ").split()),
        tuple(form.get("skus", "").replace(",", " ").split()),
        least,
        form.get("active") == "yes",
        form.id_of("id") or 0,
    )


@router.post("", name="insert_save")
def insert_save(desk: AtSetup, form: Form) -> Response:
    """Saves an insert."""
    insert = NEW
    try:
        insert = _read(desk, form)
        save_insert(desk.workplace, desk.actor, insert)
    except Refused as refused:
        return _page(desk, insert, refused)
    return desk.done("/setup/inserts", f"“{insert.name}” is saved.")


@router.post("/{insert_id:int}/delete", name="insert_delete")
def insert_delete(desk: AtSetup, form: Form, insert_id: int) -> Response:
    """Deletes an insert."""
    delete_insert(desk.workplace, desk.actor, insert_id)
    return desk.done("/setup/inserts", "It is deleted.")
