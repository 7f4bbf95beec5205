"""Serves what belongs to the frame of every page: the command box, the progress strip, saved views,
columns, whys, jobs.
"""

from datetime import timedelta
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from relvan.core.jobs.life import JobState
from relvan.core.listings.state import STATE_WORDS, ListingState, listing_state
from relvan.core.people.roles import RIGHTS, Right
from relvan.core.refusal import Refused, not_found
from relvan.core.stock.use_by import read_gs1
from relvan.core.why import Why
from relvan.services.bulk.effects import price_effects_of_rows
from relvan.services.jobs.life import MOVE_IN
from relvan.services.listings.availability import availability
from relvan.services.listings.offers import worked_out_listing
from relvan.services.listings.refresh import listing_facts
from relvan.services.listings.view import view_listing
from relvan.services.people.desk import choose_columns, drop_view, keep_view
from relvan.store.catalogue import ids_by_scan, product_by_id, skus_of
from relvan.store.channels import channel_by_id
from relvan.store.found import FoundPaper, papers_called
from relvan.store.job_rows import count_verdicts, job_verdicts
from relvan.store.jobs import job_rows
from relvan.store.listings import listing_by_id
from relvan.store.order_filter import OrderFilter
from relvan.store.order_list import order_page
from relvan.store.product_list import ProductFilter, product_page, rows_by_sku_start
from relvan.web.desk import At, Form, is_setup
from relvan.web.patterns import pattern_samples
from relvan.web.whys import why_page

router = APIRouter()
STATIONS = (
    ("Today", "/"),
    ("Catalogue", "/catalogue"),
    ("New product", "/catalogue/new"),
    ("New family", "/families/new"),
    ("Import and export", "/imports"),
    ("Move in", "/setup/move-in"),
    ("Categories and attributes", "/categories"),
    ("Changes of products", "/catalogue/history"),
    ("Listings", "/listings"),
    ("Coverage", "/listings/coverage"),
    ("Gaps of listings", "/listings/gaps"),
    ("Catalogue pages", "/listings/pages"),
    ("Layers", "/listings/layers"),
    ("Translations", "/listings/translations"),
    ("Unlinked listings", "/listings/findings"),
    ("Stock", "/stock"),
    ("Stock by bin", "/stockroom/bins"),
    ("Ledger of stock", "/stockroom/ledger"),
    ("Coming and in transit", "/stockroom/coming"),
    ("Count a bin", "/stockroom/count"),
    ("Outlook of stock", "/stockroom/outlook"),
    ("Prices", "/prices"),
    ("Updates of the channels", "/updates"),
    ("Drift", "/updates/drift"),
    ("Price lists", "/prices/lists"),
    ("Sale prices", "/prices/sales"),
    ("Prices sent", "/prices/history"),
    ("Orders", "/orders"),
    ("Inbox", "/orders?tray=inbox"),
    ("Short of stock", "/orders?tray=short"),
    ("Dispatch", "/dispatch"),
    ("Pack bench", "/dispatch/bench"),
    ("Pick on a phone", "/dispatch/phone"),
    ("Consignments", "/consignments"),
    ("Setup of channels and carriers", "/setup"),
    ("Setup of the firm", "/setup/firm"),
    ("Setup of warehouses", "/setup/warehouses"),
    ("Setup of cartons", "/setup/cartons"),
    ("Setup of papers", "/setup/papers"),
    ("Setup of people", "/setup/people"),
    ("Webhooks", "/setup/webhooks"),
    ("Bulk jobs", "/jobs"),
)
STAYS = timedelta(seconds=20)
JOB_PAGE = 100


@router.get("/find", name="find")
def find(desk: At, q: str = "") -> HTMLResponse:
    """Shows everything that the words may mean: stations, products, orders, parcels."""
    words = q.strip()[:60]
    places = [
        (name, path)
        for name, path in STATIONS
        if words.casefold() in name.casefold() and (desk.may(Right.SETUP) or not is_setup(path))
    ]
    products: list[Any] = []
    orders: list[Any] = []
    papers: list[FoundPaper] = []
    if words:
        with desk.workplace.database.reading() as session:
            if read_gs1(words):
                words = next(iter(skus_of(session, ids_by_scan(session, words)).values()), words)
            if any(sign.isdigit() or sign == "-" for sign in words) and " " not in words:
                products = rows_by_sku_start(session, words, 6)
            products = products or product_page(session, ProductFilter(words=words), limit=6)
            orders = order_page(session, OrderFilter(words=words), limit=6)
            papers = papers_called(session, words)
    return desk.fragment(
        "parts/_found.html",
        places=places[:6],
        products=products,
        orders=orders,
        papers=papers,
        words=words,
    )


@router.get("/progress", name="progress")
def progress(desk: At) -> HTMLResponse:
    """Shows bulk jobs that run, or have just ended."""
    with desk.workplace.database.reading() as session:
        jobs = job_rows(session, since=desk.workplace.now() - STAYS)
    return desk.fragment("parts/_progress.html", jobs=jobs[:3])


@router.get("/jobs", name="job_index")
def job_index(desk: At) -> HTMLResponse:
    """Shows the last bulk jobs."""
    with desk.workplace.database.reading() as session:
        jobs = job_rows(session)
    return desk.page("jobs/index.html", "jobs", jobs=jobs)


@router.get("/jobs/{job_id:int}", name="job_show")
def job_show(desk: At, job_id: int, after: int | None = None, verdict: str = "") -> Response:
    """Shows one bulk job with the verdict on each row; only its rows when htmx asks."""
    with desk.workplace.database.reading() as session:
        jobs = job_rows(session, job_id=job_id)
        rows = job_verdicts(session, job_id, after=after, verdict=verdict, limit=JOB_PAGE + 1)
        counted = count_verdicts(session, job_id)
        rehearsed = bool(jobs) and jobs[0].state == JobState.REHEARSED
        effects = (
            price_effects_of_rows(session, desk.workplace, rows[:JOB_PAGE]) if rehearsed else []
        )
    if not jobs:
        raise not_found("bulk job", job_id)
    if jobs[0].kind == MOVE_IN and Right.SETUP in RIGHTS[desk.actor.role]:  # it has its own page
        return RedirectResponse(f"/setup/move-in/{job_id}", 303)
    values: dict[str, Any] = {
        "job": jobs[0],
        "rows": rows[:JOB_PAGE],
        "verdict": verdict,
        "price_effects": effects,
        "verdicts": sorted(counted.items()),
        "more": rows[JOB_PAGE - 1].position if len(rows) > JOB_PAGE else None,
    }
    if desk.request.headers.get("HX-Request"):
        return desk.fragment("jobs/_rows.html", **values)
    station = "catalogue" if jobs[0].kind in ("import", "change", "fetch") else "jobs"
    return desk.page("jobs/show.html", station, **values)


@router.post("/views/{station}", name="view_keep")
def view_keep(desk: At, form: Form, station: str) -> Response:
    """Saves this view."""
    path = _inside(form.get("path", "/"))
    try:
        keep_view(
            desk.workplace, desk.actor, station[:20], form.get("name", ""), form.get("query", "")
        )
    except Refused as refused:
        return desk.done(
            f"{path}?{form.get('query', '')}",
            f"{refused.first.message} {refused.first.fix}",
            tone="look",
        )
    return RedirectResponse(f"{path}?{form.get('query', '')}", 303)


@router.post("/views/drop/{view_id}", name="view_drop")
def view_drop(desk: At, form: Form, view_id: int) -> Response:
    """Deletes a saved view."""
    drop_view(desk.workplace, desk.actor, view_id)
    return RedirectResponse(_inside(form.get("path", "/")), 303)


@router.post("/columns/{station}", name="columns_choose")
def columns_choose(desk: At, form: Form, station: str) -> Response:
    """Saves the columns chosen."""
    choose_columns(desk.workplace, desk.actor, station[:20], form.all("column"))
    return RedirectResponse(_inside(form.get("path", "/")), 303)


def _inside(path: str) -> str:
    return path if path.startswith("/") and not path.startswith(("//", "/\\")) else "/"


@router.get("/why/free", name="why_free")
def why_free(desk: At, sku: str) -> HTMLResponse:
    """Shows why so many units are free."""
    shown = availability(desk.workplace, sku)
    return why_page(
        desk, f"Free of {sku}", shown.why, [("Stock of this product", f"/stock/{quote(sku)}")]
    )


@router.get("/why/{what}/{listing_id:int}", name="why_listing")
def why_listing(desk: At, what: str, listing_id: int) -> HTMLResponse:
    """Shows why a listing has this quantity, price, margin or state."""
    with desk.workplace.database.reading() as session:
        listing = listing_by_id(session, listing_id)
        channel = channel_by_id(session, listing.channel_id)
        product = product_by_id(session, listing.product_id)
        found = worked_out_listing(session, desk.workplace, listing)
        margin = view_listing(session, desk.workplace, listing).margin if what == "margin" else None
        _, state_why = listing_state(listing_facts(listing))
    name = f"{product.sku} on {channel.name}"
    setup, stock = f"/setup/channels/{channel.key}", f"/stock/{quote(product.sku)}"
    priced = ("List price and floor", f"/prices?q={quote(product.sku)}")
    no_price = Why().then("Price list", "no price", "the product is not on it")
    if what == "quantity":
        shown = (f"How much {channel.name} shows", f"{setup}#shown")
        links = [("Stock of this product", stock), shown]
        return why_page(desk, f"Shown of {name}", found.shown.why, links)
    if what == "price":
        why = found.price.why if found.price else no_price
        links = [priced, (f"Steps of {channel.name}", f"{setup}#prices")]
        return why_page(desk, f"Price of {name}", why, links)
    if what == "margin":
        cost = ("Cost of the product", f"/products/{quote(product.sku)}")
        why = margin.why if margin else no_price
        return why_page(desk, f"Margin of {name}", why, [cost, priced])
    if what == "state":
        word = STATE_WORDS[ListingState(listing.state)]
        links = [("The listing", f"/listings/{listing_id}")]
        return why_page(desk, f"State of {name}: {word}", state_why, links)
    raise not_found("why", what)


@router.get("/patterns", name="patterns")
def patterns(desk: At) -> HTMLResponse:
    """Shows every shared piece in every state, for developers."""
    samples = pattern_samples(desk.request.url.path)
    return desk.page("parts/patterns.html", "patterns", samples=samples)


@router.get("/healthz", name="healthz")
def healthz() -> JSONResponse:
    """Says that the application answers."""
    return JSONResponse({"ok": True})


@router.get("/readyz", name="readyz")
def readyz(request: Request) -> JSONResponse:
    """Says whether the application can work, which it can when its database answers. Otherwise the
    answer is 503, so that a proxy asks another one.
    """
    request.app.state.workplace.database.check_is_reachable()
    return JSONResponse({"ok": True})
