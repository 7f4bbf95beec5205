"""Serves the page on which listings get their page of a channel's own catalogue: candidates beside
our products, with the sure ones chosen beforehand.
"""

import re
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, Response

from relvan.core.listings.rulebook import NEW_PAGE
from relvan.core.refusal import not_found
from relvan.services.listings.pages import choose_pages, look_again, search_pages
from relvan.store.channels import channel_by_key, channel_names
from relvan.store.pages import count_without_page, page_rows
from relvan.web.desk import At, Form, whole_id
from relvan.web.reading import fields_under

router = APIRouter(prefix="/listings/pages")
PAGE = 60
SHOWN = 3
_PICTURE = re.compile(r"[0-9a-f]{64}\.(png|jpg|webp)")


@router.get("", name="catalogue_page_index")
def catalogue_page_index(desk: At, channel: str = "", after: int = 0) -> HTMLResponse:
    """Shows the listings that need a page."""
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        books = {key: desk.workplace.rulebook(channel_by_key(session, key)) for key, _ in named}
        rows = page_rows(session, channel=channel, after=after, limit=PAGE + 1)
        total = count_without_page(session, channel)
    with_pages = [(key, name) for key, name in named if books[key].pages is not None]
    more = ""
    if len(rows) > PAGE:
        more = "/listings/pages?" + urlencode(
            {"channel": channel, "after": rows[PAGE - 1].listing_id}
        )
    return desk.page(
        "pages/index.html",
        "listings",
        rows=rows[:PAGE],
        total=total,
        named=with_pages,
        channel=channel,
        books=books,
        more=more,
        shown=SHOWN,
        new_page=NEW_PAGE,
        waiting=any(row.candidates is None for row in rows[:PAGE]),
    )


@router.post("/choose", name="catalogue_page_choose")
def catalogue_page_choose(desk: At, form: Form) -> Response:
    """Saves the pages that are marked, and asks the channel for new ones where that is marked."""
    asked = {whole_id(listing): page for listing, page in fields_under(form, "page_").items()}
    chosen = {
        listing_id: page for listing_id, page in asked.items() if listing_id is not None and page
    }
    if form.get("rest") == NEW_PAGE:
        chosen |= {
            listing_id: NEW_PAGE for listing_id in form.ids("listing") if listing_id not in chosen
        }
    by_reason: dict[str, dict[int, str]] = {}
    for listing_id, page in chosen.items():
        reason = form.get(f"reason_{listing_id}") or form.get("reason_all", "")
        by_reason.setdefault(reason, {})[listing_id] = page
    for reason, together in by_reason.items():
        choose_pages(desk.workplace, desk.actor, together, reason=reason)
    new = sum(page == NEW_PAGE for page in chosen.values())
    words = f"{len(chosen) - new} {'page' if len(chosen) - new == 1 else 'pages'} chosen"
    words += f", {new} new asked for." if new else "."
    channel = form.get("channel", "")
    return desk.done(f"/listings/pages?channel={channel}" if channel else "/listings/pages", words)


@router.post("/{listing_id:int}/search", name="catalogue_page_search")
def catalogue_page_search(desk: At, form: Form, listing_id: int) -> HTMLResponse:
    """Looks for pages of one listing by words."""
    search_pages(desk.workplace, desk.actor, listing_id, form.get("words", ""))
    return _row(desk, listing_id)


@router.post("/again", name="catalogue_page_again")
def catalogue_page_again(desk: At, form: Form) -> Response:
    """Looks for pages of a channel's listings again."""
    look_again(desk.workplace, desk.actor, form.ids("listing"))
    channel = form.get("channel", "")
    return desk.done(f"/listings/pages?channel={channel}", "They are being looked for.")


def _row(desk: At, listing_id: int) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows = page_rows(session, listing_id=listing_id)
        if not rows:
            raise not_found("listing", listing_id)
        book = desk.workplace.rulebook(channel_by_key(session, rows[0].channel_key))
    return desk.fragment("pages/_row.html", row=rows[0], book=book, shown=SHOWN, new_page=NEW_PAGE)


@router.get("/pictures/{name}", name="catalogue_page_picture")
def catalogue_page_picture(desk: At, name: str) -> Response:
    """Returns the picture of a candidate, which is stored with us."""
    path = desk.workplace.files.path(f"candidates/{name}")
    if not _PICTURE.fullmatch(name) or not path.exists():
        raise not_found("picture", name[:80])
    return FileResponse(path, headers={"Cache-Control": "private, max-age=86400"})
