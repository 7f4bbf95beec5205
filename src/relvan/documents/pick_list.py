"""Prints a pick list."""

from typing import Any

from relvan.documents.paper import paper


def pick_list_pdf(sheet: Any) -> bytes:
    """Returns the pick list as PDF, A4: the picks in order, with a box to tick, and the list's
    number as a barcode.
    """
    return paper(
        "pick_list.html", pick_list=sheet.pick_list, picks=sheet.picks, created=sheet.created
    )
