"""Serves papers in the seller's own layout over HTTP."""

from typing import Annotated, Any, Literal

from pydantic import Field

from relvan.api.desk import By, Caller, setup_router
from relvan.api.shapes import Shape
from relvan.core.papers.layouts import MOST_NAME, PaperKind
from relvan.core.refusal import refuse
from relvan.services.shipping.layouts import (
    LayoutWish,
    add_layout,
    ask_for_layouts,
    change_layout,
    preview_layout,
    shipment_called,
)
from relvan.store.layouts import asked_papers, layout_by_id, layouts, versions_of
from relvan.store.tables import Layout

router = setup_router()
Name = Annotated[str, Field(max_length=MOST_NAME)]
Size = Literal["A4", "A5", "A6", "Letter", "100 x 150 mm", "62 mm roll"]
Kind = Literal["packing slip", "pick list", "carton label", "invoice", "estimate", "manifest"]
Body = Annotated[str, Field(max_length=20_000)]


class LayoutChange(Shape):
    """What is to change of a layout; what is left out stays. `version` brings back an older one."""

    name: Name | None = None
    size: Size | None = None
    channel: Annotated[str, Field(max_length=60)] | None = None
    language: Annotated[str, Field(max_length=2)] | None = None
    body: Body | None = None
    used: bool | None = None
    version: Annotated[int, Field(ge=1, le=1_000_000)] | None = None


class AskedPapers(Shape):
    """The kinds of papers whose layout is asked for each time that one is printed."""

    asked: Annotated[list[Kind], Field(max_length=6)]


class NewLayout(Shape):
    """A layout; without text it begins as the usual paper of its kind."""

    kind: Kind
    name: Name
    size: Size | None = None
    channel: Annotated[str, Field(max_length=60)] | None = None
    language: Annotated[str, Field(max_length=2)] | None = None
    body: Body | None = None


class PreviewWish(Shape):
    """What a layout is shown over: a pick list, an invoice, an estimate or a manifest by its id (`paper`; a
    pick list also as `pick_list`), or the number of an order or a shipment. `body` is shown in place of
    what is saved."""

    order: Annotated[str, Field(max_length=100)] | None = None
    pick_list: int | None = None
    paper: int | None = None
    body: Body | None = None


def _layout_shape(by: Caller, row: Layout) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        versions = [one.version for one in versions_of(session, row.id)]
    return {
        "id": row.id,
        "kind": row.kind,
        "name": row.name,
        "size": row.size,
        "channel": row.channel or None,
        "language": row.language or None,
        "body": row.body,
        "used": row.used,
        "version": row.version,
        "versions": versions,
    }


def _layout(by: Caller, layout_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        row = layout_by_id(session, layout_id)
    return _layout_shape(by, row)


@router.get("/layouts")
def get_layouts(by: By) -> dict[str, Any]:
    """Returns the layouts by kind and name."""
    with by.workplace.database.reading() as session:
        rows = layouts(session)
    return {"items": [_layout_shape(by, row) for row in rows], "next": None}


@router.post("/layouts", status_code=201)
def post_layout(by: By, wish: NewLayout) -> dict[str, Any]:
    """Adds a layout."""
    told = LayoutWish(wish.name, wish.size, wish.channel, wish.body, language=wish.language)
    return _layout(by, add_layout(by.workplace, by.actor, wish.kind, told))


@router.get("/asked-papers")
def get_asked_papers(by: By) -> dict[str, Any]:
    """Returns the kinds of papers whose layout a person is asked for each time."""
    with by.workplace.database.reading() as session:
        return {"asked": sorted(asked_papers(session))}


@router.put("/asked-papers")
def put_asked_papers(by: By, wish: AskedPapers) -> dict[str, Any]:
    """Says of which kinds of papers the layout is asked for each time; of the others the one in use is taken.
    Over HTTP nobody is asked: `layout` names another one."""
    ask_for_layouts(by.workplace, by.actor, wish.asked)
    return get_asked_papers(by)


@router.patch("/layouts/{layout_id}")
def patch_layout(by: By, layout_id: int, change: LayoutChange) -> dict[str, Any]:
    """Changes a layout; another text or size is a new version."""
    change_layout(by.workplace, by.actor, layout_id, LayoutWish(**change.model_dump()))
    return _layout(by, layout_id)


@router.post("/layouts/{layout_id}/preview")
def post_layout_preview(by: By, layout_id: int, wish: PreviewWish) -> dict[str, Any]:
    """Returns a layout over a real order or pick list: safe HTML, and the places without a value."""
    with by.workplace.database.reading() as session:
        row = layout_by_id(session, layout_id)
    if row.kind not in (PaperKind.PACKING_SLIP, PaperKind.CARTON_LABEL):
        named = wish.pick_list if row.kind == PaperKind.PICK_LIST else wish.paper
        named = wish.paper if named is None else named
        if named is None:
            field = "pick_list" if row.kind == PaperKind.PICK_LIST else "paper"
            raise refuse("missing", f"Name a {row.kind}.", "Send its id.", field)
        example = named
    else:
        example = shipment_called(by.workplace, wish.order or "")
    found = preview_layout(
        by.workplace, row.kind, row.body if wish.body is None else wish.body, example
    )
    return {"html": found.html, "missing": list(found.missing)}
