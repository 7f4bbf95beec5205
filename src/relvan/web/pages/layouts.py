"""Serves Setup of papers in the seller's own layout, with a live preview."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from markupsafe import Markup

from relvan.core.papers.layouts import PaperKind, PaperSize
from relvan.core.papers.starts import TOPICS
from relvan.core.refusal import Refused
from relvan.services.shipping.layouts import (
    LayoutWish,
    add_layout,
    ask_for_layouts,
    change_layout,
    preview_layout,
)
from relvan.store.channels import channels
from relvan.store.dispatch import pick_list_rows
from relvan.store.layouts import asked_papers, layout_by_id, layouts, newest_papers, versions_of
from relvan.store.manifests import manifest_rows
from relvan.store.orders import shipment_rows
from relvan.web.desk import AtSetup, Desk, Form, PostedForm, last_try
from relvan.web.reading import FormReader

router = APIRouter(prefix="/setup/papers")


@router.get("", name="layout_index")
def layout_index(desk: AtSetup) -> HTMLResponse:
    """Lists the layouts."""
    return _index(desk)


def _index(
    desk: Desk, form: PostedForm | None = None, refused: Refused | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = layouts(session)
        names = {one.key: one.name for one in channels(session)}
        asked = asked_papers(session)
    values: dict[str, Any] = {
        "rows": rows,
        "channels": names,
        "kinds": {kind: kind for kind in PaperKind},
        "asked": asked,
        **last_try(form, refused),
    }
    return desk.page("setup/layouts.html", "setup", status=422 if refused else 200, **values)


@router.post("", name="layout_add")
def layout_add(desk: AtSetup, form: Form) -> Response:
    """Adds a layout that begins as the usual paper of its kind."""
    try:
        wish = LayoutWish(name=form.get("name", ""))
        made = add_layout(desk.workplace, desk.actor, form.get("kind", ""), wish)
    except Refused as refused:
        return _index(desk, form, refused)
    return desk.done(f"/setup/papers/{made}", "It begins as the usual paper. Change it here.")


@router.post("/asked", name="layout_ask")
def layout_ask(desk: AtSetup, form: Form) -> Response:
    """Says of which papers the layout is asked for each time."""
    ask_for_layouts(desk.workplace, desk.actor, form.all("asked"))
    return desk.done("/setup/papers", "Saved.")


@router.get("/{layout_id:int}", name="layout_show")
def layout_show(desk: AtSetup, layout_id: int) -> HTMLResponse:
    """Shows a layout with its preview."""
    return _page(desk, layout_id)


def _examples(desk: Desk, kind: str) -> list[tuple[int, str]]:
    """Returns shipments or pick lists for a preview, the newest first."""
    with desk.workplace.database.reading() as session:
        if kind == PaperKind.PICK_LIST:
            return [(row.id, row.number) for row in pick_list_rows(session)[:20]]
        if kind == PaperKind.MANIFEST:
            return [(one.id, f"{one.number}, {one.carrier}") for one in manifest_rows(session, 20)]
        if kind in (PaperKind.INVOICE, PaperKind.ESTIMATE):
            return newest_papers(session, kind, 20)
        rows = shipment_rows(session, states=("to pack", "to ship", "dispatched", "to pick"))
    return [(row.id, f"{row.number}, {row.customer}") for row in rows[:20]]


def _page(
    desk: Desk, layout_id: int, form: PostedForm | None = None, refused: Refused | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        row = layout_by_id(session, layout_id)
        versions = versions_of(session, layout_id)
        names = [(one.key, one.name) for one in channels(session)]
    examples = _examples(desk, row.kind)
    tried = last_try(form, refused)
    body = tried["typed"].get("body", row.body)
    values: dict[str, Any] = {
        "row": row,
        "versions": versions,
        "channels": names,
        "sizes": [(str(size), str(size)) for size in PaperSize],
        "topics": TOPICS[PaperKind(row.kind)],
        "examples": examples,
        **_preview(desk, row.kind, body, examples[0][0] if examples else 0),
        **tried,
    }
    return desk.page("setup/layout.html", "setup", status=422 if refused else 200, **values)


def _preview(desk: Desk, kind: str, body: str, example: int) -> dict[str, Any]:
    if not example:
        return {"page": Markup(""), "missing": (), "unread": ""}
    try:
        found = preview_layout(desk.workplace, kind, body, example)
    except Refused as refused:
        return {"page": Markup(""), "missing": (), "unread": refused.first.message}
    # made of a layout by `core/papers/layouts.py`, which lets only harmless elements pass
    return {"page": Markup(found.html), "missing": found.missing, "unread": ""}


@router.post("/{layout_id:int}/preview", name="layout_preview")
def layout_preview(desk: AtSetup, form: Form, layout_id: int) -> HTMLResponse:
    """Shows how a text would look over a real order."""
    read = FormReader(form)
    example = read.whole("example", "Example") or 0
    with desk.workplace.database.reading() as session:
        kind = layout_by_id(session, layout_id).kind
    shown = _preview(desk, kind, form.get("body", ""), example)
    return desk.fragment("setup/_layout_preview.html", **shown)


@router.post("/{layout_id:int}", name="layout_save")
def layout_save(desk: AtSetup, form: Form, layout_id: int) -> Response:
    """Saves a layout, or brings back one of its versions."""
    read = FormReader(form)
    version = read.whole("version", "Version")
    if version is not None:
        wish = LayoutWish(version=version)
    else:
        wish = LayoutWish(
            form.get("name", ""),
            form.get("size", ""),
            form.get("channel", ""),
            form.get("body", "").replace("\r\n", "\n"),
            form.get("used") == "yes",
            language=form.get("language", "").strip().lower(),
        )
    try:
        read.raise_if_refused()
        change_layout(desk.workplace, desk.actor, layout_id, wish)
    except Refused as refused:
        return _page(desk, layout_id, form, refused)
    return desk.done(f"/setup/papers/{layout_id}", "The layout is saved.")
