"""Asks in which layout a paper is printed, where Setup says that this is asked each time."""

from collections.abc import Sequence

from fastapi.responses import HTMLResponse

from relvan.core.papers.layouts import PaperKind
from relvan.store.layouts import asked_papers, layouts_of_kind
from relvan.web.desk import Desk


def ask_layout(
    desk: Desk, kind: PaperKind, layout: int | None, posted: Sequence[tuple[str, str]] = ()
) -> HTMLResponse | None:
    """Returns a page that asks for the layout of a paper and then makes the same request with it, by POST
    with the fields that were posted; None where a layout was chosen, or is not asked for."""
    if layout is not None:
        return None
    with desk.workplace.database.reading() as session:
        asked = kind in asked_papers(session)
        rows = layouts_of_kind(session, kind) if asked else []
    if not rows:
        return None
    query = [*desk.request.query_params.multi_items()]
    return desk.page(
        "dispatch/choose_layout.html", "dispatch", kind=kind, rows=rows, posted=posted, query=query
    )
