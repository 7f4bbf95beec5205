"""Serves the pages of a channel's categories for choosing one: the tree to unfold, those that fit a
listing, or those that words find.
"""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.core.listings.tree import Branch
from relvan.services.listings.categories import find_categories
from relvan.web.desk import At

router = APIRouter(prefix="/listings/tree")


@router.get("/{channel}", name="category_tree")
def channel_category_tree(
    desk: At, channel: str, words: str = "", listing: int | None = None, at: str = ""
) -> HTMLResponse:
    """Shows the tree with the branch of `at` unfolded; `listing` is the one for which a category is
    wanted.
    """
    with desk.workplace.database.reading() as session:
        found = find_categories(session, desk.workplace, channel, words, listing)
    return desk.fragment(
        "listings/_tree.html",
        suggested=found.suggested,
        branches=found.branches,
        found=found.found,
        asks=found.asks,
        words=words,
        at=at,
        holds=_holds,
    )


def _holds(branch: Branch, key: str) -> bool:
    return any(below.key == key or _holds(below, key) for below in branch.below) if key else False
