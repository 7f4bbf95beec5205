"""Listings: the list, a listing's own page, drafting, publishing, taking down and putting back."""

from collections import Counter
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.refusal import Refused, not_found
from relvan.services.listings.draft import change_listings, draft_listings
from relvan.services.listings.offers import worked_out_listing
from relvan.services.listings.publish import publish_listings, put_back_listings, take_down_listings
from relvan.services.outbox.tell import listing_subject
from relvan.store.catalogue import product_by_id, product_pictures
from relvan.store.channels import channel_by_id, channel_by_key, channel_names, channels
from relvan.store.history import history
from relvan.store.listings import (
    ListingFilter,
    count_listings,
    listing_by_id,
    listing_page,
    listings_of,
    listings_of_products,
)
from relvan.store.orders import tellings_of
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.sentence import Chip, Choice, Sentence, read_sentence

router = APIRouter(prefix="/listings")
PAGE = 50
LAPSE_DAYS = (7, 14, 30)
STATES = ("draft", "ready", "sending", "refused", "live", "behind", "down")
COLUMNS = (
    ("title", "Title"),
    ("channel", "Channel"),
    ("state", "State"),
    ("demands", "Demands met"),
    ("price", "Price there"),
    ("quantity", "Shown"),
    ("ref", "Reference"),
    ("changed", "Changed"),
)
SHOWN_FIRST = ("title", "channel", "state", "demands", "price", "quantity")


def _sentence(desk: Desk, query: Mapping[str, str]) -> Sentence:
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
    chips = (
        Chip("channel", "Channel", tuple(Choice(key, f"on {name}") for key, name in named)),
        Chip("state", "State", tuple(Choice(state, f"that are {state}") for state in STATES)),
        Chip("lapse", "Lapse", tuple(Choice(str(days), f"that lapse within {days} days") for days in LAPSE_DAYS)),
    )
    return read_sentence("Listings", "/listings", chips, query, hint="SKU, title, GTIN or alias")


def _filter(desk: Desk, sentence: Sentence) -> ListingFilter:
    chosen = sentence.chosen
    lapse = chosen.get("lapse", "")
    before = desk.workplace.now() + timedelta(days=int(lapse)) if lapse else None
    return ListingFilter(sentence.words, chosen.get("channel", ""), chosen.get("state", ""), lapsing_before=before)


@router.get("", name="listing_index")
def listing_index(desk: At, after: int = 0) -> HTMLResponse:
    """The list."""
    sentence = _sentence(desk, desk.request.query_params)
    wanted = _filter(desk, sentence)
    with desk.workplace.database.reading() as session:
        rows = listing_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_listings(session, wanted)
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "more": sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
    }
    return desk.page(
        "listings/index.html",
        "listings",
        count_view=lambda s, q: count_listings(s, _filter(desk, _sentence(desk, q))),
        **values,
    )


@router.post("/draft", name="listing_draft")
def listing_draft(desk: At, form: Form) -> Response:
    """Draft the ticked products on the ticked channels, and say what was made and what not, and why."""
    skus, made, refused = form.all("pick"), 0, []
    for key in form.all("channel"):
        drafted = draft_listings(desk.workplace, desk.actor, key, skus)
        made += len(drafted.listing_ids)
        refused += [verdict.message for verdict in drafted.verdicts if not verdict.ok]
    words = f"{made} {'draft' if made == 1 else 'drafts'} made."
    if refused:
        words += f" {len(refused)} not: {' '.join(refused[:2])}"
    back = f"/products/{quote(skus[0])}" if form.get("back") == "product" and skus else "/listings?state=draft"
    return desk.done(back, words, tone="look" if refused else "good")


@router.post("/foresee/{deed}", name="listing_foresee")
def listing_foresee(desk: At, form: Form, deed: str) -> HTMLResponse:
    """What a deed would do to the ticked listings, before it is done."""
    with desk.workplace.database.reading() as session:
        found = listings_of(session, listing_ids=form.ids("pick"))
        books = {channel.id: desk.workplace.rulebook(channel) for channel in channels(session)}
    would: Counter[str] = Counter()
    fees: Counter[str] = Counter()
    for listing in found:
        words = _would(deed, listing.state, listing.gap_count, listing.placed, listing.behind, listing.until)
        would[words] += 1
        if words == "would be placed":
            fees[books[listing.channel_id].currency] += books[listing.channel_id].placing_fee
    return desk.fragment(
        "listings/_foresee.html",
        deed=deed,
        would=would,
        fees=[pair for pair in fees.items() if pair[1]],
        count=len(found),
    )


def _would(deed: str, state: str, gaps: int, placed: bool, behind: str, until: datetime | None) -> str:
    if deed == "take-down":
        return "would be taken down" if placed and state != "down" else "are not up"
    if deed == "put-back":
        return "would be put back" if state == "down" else "would be renewed" if placed and until else "are not down"
    if gaps:
        return "stay: gaps keep them from going live"
    if not placed:
        return "would be placed"
    if state == "down":
        return "would be put back"
    return "would be sent again" if {"content", "pictures"} & set(behind.split()) else "have nothing to send"


# deed -> what carries it out, and how it is called while it goes on
DEEDS = {
    "publish": (publish_listings, "Sending"),
    "take-down": (take_down_listings, "Taking down"),
    "put-back": (put_back_listings, "Putting back"),
}


@router.post("/do/{deed}", name="listing_deed")
def listing_deed(desk: At, form: Form, deed: str) -> Response:
    """Publish, take down or put back the ticked listings, as a bulk job."""
    if deed not in DEEDS:
        raise not_found("deed", deed)
    carry_out, words = DEEDS[deed]
    ids = form.ids("pick")
    job_id = carry_out(desk.workplace, desk.actor, ids)
    back = form.get("back", "")
    path = back if back.startswith("/listings") else f"/jobs/{job_id}"
    return desk.done(path, f"{words} {len(ids)} {'listing' if len(ids) == 1 else 'listings'} in the background.")


def _show(desk: Desk, listing_id: int, *, status: int = 200, typed: dict[str, str] | None = None,
          refused: Refused | None = None) -> HTMLResponse:  # fmt: skip
    with desk.workplace.database.reading() as session:
        listing = listing_by_id(session, listing_id)
        channel = channel_by_id(session, listing.channel_id)
        product = product_by_id(session, listing.product_id)
        book = desk.workplace.rulebook(channel)
        values: dict[str, Any] = {
            "listing": listing,
            "row": next(r for r in listings_of_products(session, [product.id]) if r.id == listing_id),
            "channel": channel,
            "product": product,
            "book": book,
            "found": worked_out_listing(session, desk.workplace, listing),
            "pictures": product_pictures(session, product.id),
            "history": history(session, "listing", listing.id),
            "tellings": tellings_of(session, listing_subject(listing.id)),
            "public": public_address(channel.address, listing.page),
            "gap_of": {gap["field"]: gap for gap in listing.gaps},
            "typed": typed or {},
        }
        errors = first_by_field(refused.refusals) if refused else {}
        refusals = refused.refusals if refused else ()
        return desk.page("listings/show.html", "listings", status=status, **values, errors=errors, refusals=refusals)


def public_address(address: str, page: str) -> str:
    """Where buyers see a listing: the channel names the page by its path."""
    if not page:
        return ""
    scheme, _, rest = address.partition("://")
    return f"{scheme}://{rest.partition('/')[0]}{page}"


@router.get("/{listing_id:int}", name="listing_show")
def listing_show(desk: At, listing_id: int) -> HTMLResponse:
    """A listing's own page."""
    return _show(desk, listing_id)


@router.post("/{listing_id:int}", name="listing_change")
def listing_change(desk: At, form: Form, listing_id: int) -> Response:
    """Give the listing values of its own, or take them from the product again."""
    values: dict[str, Any] = {
        name.removeprefix("own_"): form[name].replace("\r\n", "\n").strip() for name in form if name.startswith("own_")
    }
    try:
        change_listings(desk.workplace, desk.actor, [listing_id], values)
    except Refused as refused:
        return _show(desk, listing_id, status=422, typed=values, refused=refused)
    return desk.done(f"/listings/{listing_id}", "Saved.")


@router.post("/mend", name="listing_mend")
def listing_mend(desk: At, form: Form) -> Response:
    """Set one field to the same value on all ticked listings of one channel."""
    name, value = form.get("field", ""), form.get("value", "").strip()
    ids = form.ids("pick")
    change_listings(desk.workplace, desk.actor, ids, {name: value})
    return desk.done("/listings?state=draft", f"Set on {len(ids)} listings.")


@router.post("/mend-form", name="listing_mend_form")
def listing_mend_form(desk: At, form: Form) -> HTMLResponse:
    """The gaps of the ticked listings that one value can close, with a field to type it."""
    with desk.workplace.database.reading() as session:
        found = listings_of(session, listing_ids=form.ids("pick"))
        by_channel = {channel.id: channel for channel in channels(session)}
    groups: dict[tuple[str, str], int] = Counter(
        (by_channel[listing.channel_id].key, gap["field"])
        for listing in found
        for gap in listing.gaps
        if gap["fits_others"]
    )
    shared = []
    for (key, name), count in sorted(groups.items(), key=lambda item: -item[1]):
        with desk.workplace.database.reading() as session:
            channel = channel_by_key(session, key)
        book = desk.workplace.rulebook(channel)
        rule = book.field(name)
        ids = [
            listing.id
            for listing in found
            if by_channel[listing.channel_id].key == key and any(gap["field"] == name for gap in listing.gaps)
        ]
        if rule is not None:
            shared.append((channel, book, rule, count, ids))
    return desk.fragment("listings/_mend.html", shared=shared)
