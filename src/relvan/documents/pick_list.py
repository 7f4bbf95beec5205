"""A pick list on paper."""

from typing import Any

from relvan.documents.paper import paper


def pick_list_pdf(sheet: Any) -> bytes:
    """A4: the picks in order, with a box to tick; the list's number as a barcode."""
    return paper(
        "pick_list.html", pick_list=sheet.pick_list, picks=sheet.picks, created=sheet.created
    )
