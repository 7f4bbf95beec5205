"""Serves the pages of listings: the list, a listing's own page, drafting, publishing, taking down
and putting back.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.channels.sending import Topic
from relvan.core.jobs.life import JobVerdict
from relvan.core.listings.deeds import ListingDeed, read_listing_deed
from relvan.core.listings.rulebook import FieldRule, Rulebook
from relvan.core.listings.state import STATE_WORDS, ListingState
from relvan.core.refusal import Refused, refuse
from relvan.services.listings.draft import change_listings, draft_on_channels, require_members
from relvan.services.listings.ground import WorkedOut
from relvan.services.listings.publish import do_listings, plan_deed
from relvan.services.listings.view import view_listing
from relvan.store.catalogue import product_by_id
from relvan.store.channels import channel_by_id, channel_names, channels
from relvan.store.counting import count_with_page
from relvan.store.history import history
from relvan.store.job_rows import job_verdicts
from relvan.store.jobs import job_rows
from relvan.store.listed import picture_owners
from relvan.store.listing_list import (
    SORTING,
    ListingFilter,
    ListingRow,
    count_listings,
    listing_page,
    listing_rows_of,
)
from relvan.store.listings import listing_by_id, tellings_of_listing
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.tables import Listing
from relvan.web.chosen import chosen_products
from relvan.web.desk import At, Desk, Form, first_by_field
from relvan.web.passing_chips import listing_chips
from relvan.web.product_sentence import HINT
from relvan.web.reading import fields_under
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

router = APIRouter(prefix="/listings")
PAGE = 50
LAPSE_DAYS = (7, 14, 30)
COLUMNS = (
    ("title", "Title"),
    ("channel", "Channel"),
    ("state", "State"),
    ("demands", "Requirements"),
    ("price", "Price there"),
    ("quantity", "Shown"),
    ("ref", "Reference"),
    ("changed", "Changed"),
)
SHOWN_FIRST = ("title", "channel", "state", "demands", "price", "quantity")


def _listings_sentence(desk: Desk, query: Mapping[str, str]) -> Sentence:
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        passing = listing_chips(session, desk.workplace, query)
    chips = (
        Chip("channel", "Channel", tuple(Choice(key, f"on {name}") for key, name in named)),
        Chip(
            "state",
            "State",
            tuple(Choice(state, f"that are {word}") for state, word in STATE_WORDS.items()),
        ),
        *passing,
        Chip(
            "lapse",
            "Lapse",
            tuple(Choice(str(days), f"that lapse within {days} days") for days in LAPSE_DAYS),
        ),
    )
    return read_sentence(
        ListKind("Listings", "/listings", hint=HINT, sorts=SORTING.names()), chips, query
    )


def _listings_filter(desk: Desk, sentence: Sentence) -> ListingFilter:
    chosen = sentence.chosen
    lapse = chosen.get("lapse", "")
    before = desk.workplace.now() + timedelta(days=int(lapse)) if lapse else None
    ids = {
        name: int(chosen[name]) if chosen.get(name) else None
        for name in ("layer", "family", "drafts")
    }
    return ListingFilter(
        sentence.words,
        chosen.get("channel", ""),
        chosen.get("state", ""),
        chosen.get("gap", ""),
        before,
        layer=ids["layer"],
        family=ids["family"],
        gap_kind=chosen.get("kind", ""),
        ours=chosen.get("ours", ""),
        drafts_of=ids["drafts"],
    )


@router.get("", name="listing_index")
def listing_index(desk: At, after: int = 0) -> HTMLResponse:
    """Shows the list."""
    sentence = _listings_sentence(desk, desk.request.query_params)
    wanted = _listings_filter(desk, sentence)
    with desk.workplace.database.reading() as session:
        rows = listing_page(session, wanted, after=after, limit=PAGE + 1, sort=sentence.sort)
        total = count_with_page(rows, PAGE, after, lambda: count_listings(session, wanted))
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "more": sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
        "sorts": SORTING.names(),
    }
    return desk.page(
        "listings/index.html",
        "listings",
        count_view=lambda s, q: count_listings(
            s, _listings_filter(desk, _listings_sentence(desk, q))
        ),
        **values,
    )


@router.post("/draft", name="listing_draft")
def listing_draft(desk: At, form: Form) -> Response:
    """Drafts the ticked products on the ticked channels, and says which drafts were created and why
    others were not.
    """
    skus = chosen_products(desk, form)
    channels_wanted = form.all("channel")
    if not skus or not channels_wanted:
        missing = "product" if not skus else "channel"
        raise refuse("missing", f"No {missing} is chosen.", "Tick at least one.", missing)
    drafted = draft_on_channels(desk.workplace, desk.actor, channels_wanted, skus)
    words = f"{drafted.made} {'draft' if drafted.made == 1 else 'drafts'} made."
    if drafted.refused:
        words += f" {len(drafted.refused)} not: {' '.join(drafted.refused[:2])}"
    back = f"/listings?drafts={drafted.job_id}"
    if form.get("back") == "product" and skus:
        back = f"/products/{quote(skus[0])}"
    elif form.get("back") == "coverage":
        back = f"/listings/gaps?drafts={drafted.job_id}"
    if drafted.refused and len(drafted.refused) > 2:
        back = f"/jobs/{drafted.job_id}"
    return desk.done(back, words, tone="look" if drafted.refused else "good")


@router.get("/skus", name="listing_skus")
def listing_skus(desk: At) -> HTMLResponse:
    """Returns a few SKUs that the typed text may mean, as choices of an input."""
    words = next(iter(desk.request.query_params.values()), "").strip()[:60]
    with desk.workplace.database.reading() as session:
        rows = product_page(session, ProductFilter(words=words), limit=8) if words else []
    return desk.fragment("listings/_skus.html", rows=rows)


@router.post("/{listing_id:int}/must", name="listing_must")
def listing_must(desk: At, form: Form, listing_id: int) -> Response:
    """Saves whether the family may go live without a variant."""
    must = form.get("must") == "yes"
    require_members(desk.workplace, desk.actor, [listing_id], must=must)
    words = "The family waits for it from now on." if must else "The family can go live without it."
    return desk.done(f"/listings/{listing_id}", words)


@router.post("/foresee/{deed}", name="listing_foresee")
def listing_foresee(desk: At, form: Form, deed: str) -> HTMLResponse:
    """Shows what an action would do to the ticked listings."""
    wanted = read_listing_deed(deed)
    with desk.workplace.database.reading() as session:
        plan = plan_deed(session, wanted, form.ids("pick"))
        books = {channel.id: desk.workplace.rulebook(channel) for channel in channels(session)}
    would = Counter(step.answer.would for step in plan.steps.values())
    fees: Counter[str] = Counter()
    for listing_id, step in plan.steps.items():
        listing = plan.listings[listing_id]
        if Topic.PUBLISH in step.answer.topics and listing.head_id is None:
            fees[books[listing.channel_id].currency] += books[listing.channel_id].placing_fee
    open_members = sum(
        one.head_id is not None and one.gap_count > 0 and not one.placed
        for one in plan.listings.values()
    )
    return desk.fragment(
        "listings/_foresee.html",
        deed=deed,
        would=would,
        fees=[pair for pair in fees.items() if pair[1]],
        count=len(plan.steps),
        open_members=open_members if wanted == ListingDeed.PUBLISH else 0,
    )


TO_SEND = (
    ListingState.DRAFT,
    ListingState.READY,
    ListingState.REFUSED,
    ListingState.OUTDATED,
)  # states of listings that have something to send

# how a deed is called while it goes on
GOING_ON = {
    ListingDeed.PUBLISH: "Sending",
    ListingDeed.TAKE_DOWN: "Taking down",
    ListingDeed.PUT_BACK: "Putting back",
}


@router.post("/do/{deed}", name="listing_deed")
def listing_deed(desk: At, form: Form, deed: str) -> Response:
    """Publishes, takes down or puts back the ticked listings, as a bulk job."""
    wanted = read_listing_deed(deed)
    words, ids = GOING_ON[wanted], form.ids("pick")
    leave_out = form.get("leave_out") == "yes"
    job_id = do_listings(desk.workplace, desk.actor, wanted, ids, leave_out=leave_out)
    back = form.get("back", "")
    path = back if back.startswith("/listings") else f"/jobs/{job_id}"
    with desk.workplace.database.reading() as session:
        job, refused = (
            job_rows(session, job_id=job_id)[0],
            job_verdicts(session, job_id, verdict=JobVerdict.REFUSED, limit=1),
        )
    if refused and job.refused == job.total:  # nothing of it goes out: say why, here and now
        return desk.done(path, f"Not done: {refused[0].reason}", tone="look")
    return desk.done(
        path, f"{words} {len(ids)} {'listing' if len(ids) == 1 else 'listings'} in the background."
    )


def _listing_page(
    desk: Desk,
    listing_id: int,
    *,
    status: int = 200,
    typed: dict[str, str] | None = None,
    refused: Refused | None = None,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        listing = listing_by_id(session, listing_id)
        channel = channel_by_id(session, listing.channel_id)
        product = product_by_id(session, listing.product_id)
        book = desk.workplace.rulebook(channel)
        view = view_listing(session, desk.workplace, listing)
        values: dict[str, Any] = {
            "listing": listing,
            "row": listing_rows_of(session, [listing_id])[0],
            "channel": channel,
            "product": product,
            "book": book,
            "view": view,
            "found": view.found,
            "pictures": picture_owners(session, view.found.pictures, product),
            "history": history(session, "listing", listing.id),
            "tellings": tellings_of_listing(session, listing.id),
            "public": public_address(channel.address, listing.page),
            "gap_of": {gap["field"]: gap for gap in listing.gaps},
            "typed": typed or {},
            "deeds": _deeds_offered(listing, view.family),
            "rules": [rule for rule in book.fields if _is_asked(rule, book, view.found)],
            "left_out": sum(
                one.gap_count > 0 and not one.is_head and not one.ref for one in view.family
            ),
            "owned": [rule.label for rule in book.fields if rule.name in book.owned],
            "refusals": refused.refusals if refused else (),
        }
        errors = first_by_field(refused.refusals) if refused else {}
        return desk.page("listings/show.html", "listings", status=status, **values, errors=errors)


def _deeds_offered(listing: Listing, family: Sequence[ListingRow]) -> list[tuple[str, str]]:
    """Returns the actions that a listing's page offers, with the words of their buttons."""
    found = []
    waits_for_page = bool(listing.head_id and not listing.placed and family and not family[0].ref)
    if (listing.state in TO_SEND or not listing.followed) and not waits_for_page:
        if not listing.placed:
            words = "Publish the family" if listing.is_head else "Publish"
        else:
            words = "Send what changed" if listing.followed else "Follow price and quantity"
        found.append(("publish", words))
    if listing.placed and listing.shown:
        found.append(("take-down", "Take down"))
    if listing.state == ListingState.DOWN or (listing.until and listing.shown):
        found.append(("put-back", "Put back" if listing.state == ListingState.DOWN else "Renew"))
    return found


def _is_asked(rule: FieldRule, book: Rulebook, found: WorkedOut) -> bool:
    """Says whether a channel demands a field of this listing, given its category, part and other
    fields.
    """
    if not rule.is_asked_in(found.category) or not rule.is_asked_of(found.place.part):
        return False
    if rule.for_new_page and found.fields[book.page_field].value != "new":
        return False
    return not (rule.without and found.fields[rule.without].value)


def public_address(address: str, page: str) -> str:
    """Returns where buyers see a listing; the channel names the page by its path."""
    if not page:
        return ""
    scheme, _, rest = address.partition("://")
    return f"{scheme}://{rest.partition('/')[0]}{page}"


@router.get("/{listing_id:int}", name="listing_show")
def listing_show(desk: At, listing_id: int) -> HTMLResponse:
    """Shows a listing's own page."""
    return _listing_page(desk, listing_id)


@router.post("/{listing_id:int}", name="listing_change")
def listing_change(desk: At, form: Form, listing_id: int) -> Response:
    """Saves values of the listing itself, or removes them so that the product's count again."""
    values: dict[str, Any] = {
        name: value.replace("\r\n", "\n").strip()
        for name, value in fields_under(form, "own_").items()
    }
    try:
        change_listings(desk.workplace, desk.actor, [listing_id], values)
    except Refused as refused:
        return _listing_page(desk, listing_id, status=422, typed=values, refused=refused)
    return desk.done(f"/listings/{listing_id}", "Saved.")
