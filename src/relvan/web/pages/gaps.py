"""Gaps of many listings: grouped by what mends them, mended for all in one go, or cell by cell in a grid."""

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, Response

from relvan.core.listings.rulebook import Rulebook
from relvan.core.listings.translating import Translation, TranslationKind
from relvan.core.refusal import Refused, refuse
from relvan.services.listings.categories import groups_without_category
from relvan.services.listings.draft import change_listings, set_values
from relvan.services.listings.translations import set_translations
from relvan.store.channels import channel_by_key, channel_names, channels
from relvan.store.gaps import GapGroup, gap_groups, with_gap
from relvan.store.listings import ListingFilter, listing_page, listing_rows_of, listings_of
from relvan.web.desk import At, Form
from relvan.web.sentence import Chip, Choice, Sentence, read_sentence

router = APIRouter(prefix="/listings/gaps")
MOST_IN_GRID = 200
# where a gap is mended that cannot be closed by a value here
PLACES = {
    "stock": ("Look at the stock", "/stock"),
    "price": ("Set prices", "/prices/lists"),
    "pictures": ("Look at the products", "/catalogue"),
    "page": ("Choose pages", "/listings/pages"),
    "layer": ("Look at the layers", "/listings/layers"),
}


def _sentence(session: Any, query: Mapping[str, str]) -> Sentence:
    chips = (Chip("channel", "Channel", tuple(Choice(key, f"on {name}") for key, name in channel_names(session))),)
    return read_sentence("Gaps of listings", "/listings/gaps", chips, query, hint="SKU, title, GTIN or alias")


def _filter(sentence: Sentence) -> ListingFilter:
    return ListingFilter(words=sentence.words, channel=sentence.chosen.get("channel", ""))


@router.get("", name="gap_index")
def gap_index(desk: At) -> HTMLResponse:
    """The groups, the largest first."""
    with desk.workplace.database.reading() as session:
        sentence = _sentence(session, desk.request.query_params)
        groups = gap_groups(session, _filter(sentence))
        books = {key: desk.workplace.rulebook(channel_by_key(session, key)) for key, _ in channel_names(session)}
        categories = {
            key: groups_without_category(session, desk.workplace, key)
            for key in {group.channel_key for group in groups if group.kind == "no category"}
        }
    shown = [(group, books[group.channel_key], books[group.channel_key].field(group.field)) for group in groups]
    return desk.page(
        "gaps/index.html", "listings", sentence=sentence, groups=shown, total=sum(group.count for group in groups),
        categories=categories, places=PLACES, books=books, list_of=_list_of,
    )  # fmt: skip


def _list_of(group: GapGroup) -> str:
    return "/listings?" + urlencode({"channel": group.channel_key, "gap": group.field})


@router.post("/set", name="gap_set")
def gap_set(desk: At, form: Form) -> Response:
    """Set a field to one value on every listing of a channel that has this gap."""
    key, name = form.get("channel", ""), form.get("field", "")
    ids = form.ids("pick")
    with desk.workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        ids = ids or with_gap(session, channel.id, name, form.get("kind", ""), form.get("ours", ""))
        value = category_key(desk.workplace.rulebook(channel), name, form.get("value", "").strip())
    if not value or not ids:
        raise refuse("missing", "A value is needed, and listings that lack it.", "Choose or type one.", "value")
    change_listings(desk.workplace, desk.actor, ids, {name: value})
    words = f"Set on {len(ids)} {'listing' if len(ids) == 1 else 'listings'}."
    return desk.done(f"/listings/gaps?channel={key}", words)


@router.post("/translate", name="gap_translate")
def gap_translate(desk: At, form: Form) -> Response:
    """Put one translation into a channel's table; it mends every listing that lacks it."""
    key, name, ours = form.get("channel", ""), form.get("field", ""), form.get("ours", "")
    kind = TranslationKind.TRAIT if name == "trait" else TranslationKind.VALUE
    entry = Translation(kind, "" if name == "trait" else name, ours, form.get("value", "").strip())
    set_translations(desk.workplace, desk.actor, key, [entry])
    return desk.done(f"/listings/gaps?channel={key}", f"“{ours}” is “{entry.theirs}” there from now on.")


@router.get("/grid", name="gap_grid")
def gap_grid(desk: At, channel: str, field: str = "") -> HTMLResponse:
    """Listings of a channel with gaps, one a row, one column for each field that some of them lack."""
    with desk.workplace.database.reading() as session:
        found = channel_by_key(session, channel)
        book = desk.workplace.rulebook(found)
        ids = with_gap(session, found.id, field, limit=MOST_IN_GRID) if field else _with_any(session, channel)
        listings = {one.id: one for one in listings_of(session, listing_ids=ids)}
        rows = listing_rows_of(session, ids)
    columns = _columns(book, listings.values())
    return desk.page(
        "gaps/grid.html", "listings", channel=found, book=book, rows=rows, listings=listings, columns=columns,
        most=MOST_IN_GRID,
    )  # fmt: skip


def _with_any(session: Any, channel: str) -> list[int]:
    rows = listing_page(session, ListingFilter(channel=channel, state="draft"), limit=MOST_IN_GRID)
    return [row.id for row in rows]


def _columns(book: Rulebook, listings: Any) -> list[Any]:
    lacking = {gap["field"] for listing in listings for gap in listing.gaps}
    return [rule for rule in book.fields if rule.name in lacking]


def category_key(book: Rulebook, name: str, value: str) -> str:
    """A category by its key, when a person named it; any other value as it is."""
    if name != book.category_field:
        return value
    return next((one.key for one in book.categories if one.name.casefold() == value.casefold()), value)


@router.post("/cells", name="gap_cells")
def gap_cells(desk: At, form: Form) -> JSONResponse:
    """Save cells of the grid as they are left or pasted; a verdict for each listing."""
    wanted: dict[int, dict[str, str]] = {}
    with desk.workplace.database.reading() as session:
        books = {c.id: desk.workplace.rulebook(c) for c in channels(session)}
        found = {one.id: books[one.channel_id] for one in listings_of(session, listing_ids=form.ids("subject"))}
    for subject, column, value in zip(form.all("subject"), form.all("column"), form.all("value"), strict=False):
        book = found.get(int(subject)) if subject.isascii() and subject.isdigit() else None
        if book is not None:
            wanted.setdefault(int(subject), {})[column] = category_key(book, column, value.strip())
    items = []
    for listing_id, values in wanted.items():
        try:
            set_values(desk.workplace, desk.actor, {listing_id: values})
            items.append({"subject": str(listing_id), "ok": True, "message": ""})
        except Refused as refused:
            message = f"{refused.first.message} {refused.first.fix}".strip()
            items.append({"subject": str(listing_id), "ok": False, "message": message})
    return JSONResponse({"items": items})


@router.post("/of", name="gap_of_ticked")
def gap_of_ticked(desk: At, form: Form) -> HTMLResponse:
    """The gaps that the ticked listings have in common, each with what closes it for all of them."""
    ids = form.ids("pick")
    with desk.workplace.database.reading() as session:
        groups = gap_groups(session, ListingFilter(), listing_ids=ids)
        books = {key: desk.workplace.rulebook(channel_by_key(session, key)) for key, _ in channel_names(session)}
    shown = [(group, books[group.channel_key], books[group.channel_key].field(group.field)) for group in groups]
    return desk.fragment("gaps/_ticked.html", groups=shown, ids=ids, places=PLACES, list_of=_list_of, categories={})
