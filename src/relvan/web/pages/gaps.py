"""Serves the pages of gaps of many listings: grouped by what mends them, and mended for all at once
or cell by cell in a grid.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import parse_qsl

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, Response

from relvan.core.listings.rulebook import FieldRule, Rulebook
from relvan.core.listings.translating import Translation, TranslationKind
from relvan.core.refusal import Refused, refuse
from relvan.services.listings.categories import CategoryGroup, groups_without_category
from relvan.services.listings.change_many import rehearse_values
from relvan.services.listings.draft import set_values
from relvan.services.listings.translations import set_translations
from relvan.store.channels import channel_by_key, channel_names, channels
from relvan.store.gaps import GapGroup, gap_groups
from relvan.store.listing_list import ListingFilter, listing_ids_with, listing_rows_of
from relvan.store.listings import listings_of
from relvan.web.addresses import address_of
from relvan.web.desk import At, Desk, Form, PostedForm, whole_id
from relvan.web.passing_chips import drafts_chips, product_gap_value
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

router = APIRouter(prefix="/listings/gaps")
MOST_IN_GRID = 200
# kinds of gaps that one value closes for all listings that have them
SETTABLE = ("missing", "no category", "not allowed")
# where a gap is mended that no value of the listing closes: the words of the link and the name of
# the page
PRODUCT_PLACES = {
    "stock": ("Look at the stock", "stock_index"),
    "price": ("Set prices", "price_list_index"),
    "pictures": ("Look at the products", "product_index"),
}
OTHER_PLACES = {
    "page": ("Choose pages", "catalogue_page_index"),
    "layer": ("Look at the layers", "layer_index"),
}


@dataclass(frozen=True)
class ShownGroup:
    """A group of gaps with everything that its line on the page shows: the rule of its field, the
    page with its listings, and the place where it is mended.
    """

    group: GapGroup
    book: Rulebook
    rule: FieldRule | None
    listings: str
    grid: str
    settable: bool
    place: tuple[str, str] | None
    categories: Sequence[CategoryGroup]


def _gaps_sentence(session: Any, query: Mapping[str, str], *, strict: bool = False) -> Sentence:
    chips = (
        Chip(
            "channel",
            "Channel",
            tuple(Choice(key, f"on {name}") for key, name in channel_names(session)),
        ),
        *drafts_chips(session, query),
    )
    return read_sentence(
        ListKind("Gaps of listings", "/listings/gaps", hint="SKU, title, GTIN or alias"),
        chips,
        query,
        strict=strict,
    )


def _gaps_filter(sentence: Sentence) -> ListingFilter:
    drafts = sentence.chosen.get("drafts")
    return ListingFilter(
        words=sentence.words,
        channel=sentence.chosen.get("channel", ""),
        drafts_of=int(drafts) if drafts else None,
    )


def _filter_of_group(session: Any, form: PostedForm) -> ListingFilter:
    """Returns the filter for the listings of a group of gaps: those that the sentence of the page
    finds, on the group's channel, with just that gap.
    """
    wanted = _gaps_filter(
        _gaps_sentence(session, dict(parse_qsl(form.get("query", ""))), strict=True)
    )
    return replace(
        wanted,
        channel=form.get("channel", ""),
        gap=form.get("field", ""),
        gap_kind=form.get("kind", ""),
        ours=form.get("ours", ""),
    )


@router.get("", name="gap_index")
def gap_index(desk: At) -> HTMLResponse:
    """Shows the groups, the largest first."""
    with desk.workplace.database.reading() as session:
        sentence = _gaps_sentence(session, desk.request.query_params)
        wanted = _gaps_filter(sentence)
        groups = gap_groups(session, wanted)
        categories = {
            key: groups_without_category(session, desk.workplace, key, wanted)
            for key in {group.channel_key for group in groups if group.kind == "no category"}
        }
        shown = _group_shown(session, desk, groups, sentence, categories)
    total = sum(group.count for group in groups)
    return desk.page(
        "gaps/index.html", "listings", sentence=sentence, groups=shown, total=total, ids=()
    )


def _group_shown(
    session: Any,
    desk: Desk,
    groups: Sequence[GapGroup],
    sentence: Sentence | None,
    categories: Mapping[str, Sequence[CategoryGroup]],
) -> list[ShownGroup]:
    books = {
        key: desk.workplace.rulebook(channel_by_key(session, key))
        for key, _ in channel_names(session)
    }
    found = []
    for group in groups:
        book = books[group.channel_key]
        rule = book.field(group.field)
        also = (
            {"q": sentence.words, "drafts": sentence.chosen.get("drafts", "")} if sentence else {}
        )
        same = {
            "channel": group.channel_key,
            "gap": group.field,
            "kind": group.kind,
            "ours": group.ours,
            **also,
        }
        found.append(
            ShownGroup(
                group,
                book,
                rule,
                address_of("listing_index", same),
                address_of("gap_grid", {**same, "field": group.field, "gap": ""}),
                group.kind in SETTABLE and rule is not None and rule.kind != "page",
                _place(desk, group, also),
                categories.get(group.channel_key, ()) if group.kind == "no category" else (),
            )
        )
    return found


def _place(desk: Desk, group: GapGroup, also: Mapping[str, str]) -> tuple[str, str] | None:
    """Returns (words, address) of the page that mends a group, filtered to what the group is about."""
    if group.mend in PRODUCT_PLACES:
        words, name = PRODUCT_PLACES[group.mend]
        lacks = product_gap_value(group.channel_key, group.kind)
        return words, address_of(name, {"lacks": lacks, **also})
    if group.mend in OTHER_PLACES:
        words, name = OTHER_PLACES[group.mend]
        return words, address_of(name, {"channel": group.channel_key})
    return None


@router.post("/set", name="gap_set")
def gap_set(desk: At, form: Form) -> Response:
    """Rehearses one value for a field on every listing of a group of gaps, or on those ticked. The
    job's page shows old and new values and applies them.
    """
    key, name = form.get("channel", ""), form.get("field", "")
    with desk.workplace.database.reading() as session:
        channel = channel_by_key(session, key)
        book = desk.workplace.rulebook(channel)
        ids = form.ids("pick") or _ids_of_group(session, desk, form)
        value = named_category(book, name, form.get("value", "").strip())
    if not value or not ids:
        raise refuse(
            "missing",
            "A value is needed, and listings that lack it.",
            "Choose or type one.",
            "value",
        )
    rule = book.field(name)
    many = f"{len(ids):,} {'listing' if len(ids) == 1 else 'listings'}"
    title = f"Set {rule.label if rule else name} on {many} on {channel.name}"
    back = form.get("back", "")
    job = rehearse_values(
        desk.workplace,
        desk.actor,
        title,
        {listing_id: {name: value} for listing_id in ids},
        back=back if back.startswith("/listings") else "/listings/gaps",
    )
    return desk.go(f"/jobs/{job}")


def _ids_of_group(session: Any, desk: Desk, form: PostedForm) -> list[int]:
    wanted = _filter_of_group(session, form)
    if "of" not in form:
        return listing_ids_with(session, wanted)
    base = replace(wanted, gap="", gap_kind="", ours="")
    parts = groups_without_category(session, desk.workplace, wanted.channel, base)
    return [
        listing_id for part in parts if part.ours == form["of"] for listing_id in part.listing_ids
    ]


@router.post("/translate", name="gap_translate")
def gap_translate(desk: At, form: Form) -> Response:
    """Saves one translation in a channel's table, which mends every listing that lacks it."""
    key, name, ours = form.get("channel", ""), form.get("field", ""), form.get("ours", "")
    kind = TranslationKind.TRAIT if name == "trait" else TranslationKind.VALUE
    entry = Translation(kind, "" if name == "trait" else name, ours, form.get("value", "").strip())
    set_translations(desk.workplace, desk.actor, key, [entry])
    back = form.get("back", "")
    words = f"“{ours}” is “{entry.theirs}” there from now on."
    return desk.done(
        back if back.startswith("/listings") else f"/listings/gaps?channel={key}", words
    )


@router.get("/grid", name="gap_grid")
def gap_grid(desk: At, channel: str, field: str = "") -> HTMLResponse:
    """Shows listings of a channel with gaps, one a row, with a column for each field that some of
    them lack.
    """
    with desk.workplace.database.reading() as session:
        found = channel_by_key(session, channel)
        book = desk.workplace.rulebook(found)
        sentence = _gaps_sentence(session, desk.request.query_params)
        asked = replace(_gaps_filter(sentence), channel=channel, gap=field)
        wanted = asked if field else replace(asked, state="draft")
        ids = listing_ids_with(session, wanted, MOST_IN_GRID)
        listings = {one.id: one for one in listings_of(session, listing_ids=ids)}
        rows = listing_rows_of(session, ids)
    columns = _columns(book, listings.values())
    return desk.page(
        "gaps/grid.html",
        "listings",
        channel=found,
        book=book,
        rows=rows,
        listings=listings,
        columns=columns,
        most=MOST_IN_GRID,
    )


def _columns(book: Rulebook, listings: Any) -> list[Any]:
    lacking = {gap["field"] for listing in listings for gap in listing.gaps}
    return [rule for rule in book.fields if rule.name in lacking]


def named_category(book: Rulebook, name: str, value: str) -> str:
    """Returns a category by its key when a person typed its name; any other value as it is."""
    if name != book.category_field:
        return value
    return next(
        (one.key for one in book.categories if one.name.casefold() == value.casefold()), value
    )


@router.post("/cells", name="gap_cells")
def gap_cells(desk: At, form: Form) -> JSONResponse:
    """Saves cells of the grid when they are left or pasted into, with a verdict for each listing."""
    wanted: dict[int, dict[str, str]] = {}
    with desk.workplace.database.reading() as session:
        books = {c.id: desk.workplace.rulebook(c) for c in channels(session)}
        found = {
            one.id: books[one.channel_id]
            for one in listings_of(session, listing_ids=form.ids("subject"))
        }
    for subject, column, value in zip(
        form.all("subject"), form.all("column"), form.all("value"), strict=False
    ):
        book = found.get(whole_id(subject) or 0)
        if book is not None:
            wanted.setdefault(int(subject), {})[column] = named_category(
                book, column, value.strip()
            )
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
    """Shows the gaps that the ticked listings have in common, each with what mends it for all of
    them.
    """
    ids = form.ids("pick")
    with desk.workplace.database.reading() as session:
        groups = gap_groups(session, ListingFilter(), listing_ids=ids)
        shown = _group_shown(session, desk, groups, None, {})
    return desk.fragment("gaps/_ticked.html", groups=shown, ids=ids, sentence=None)
