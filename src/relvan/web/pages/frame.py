"""What belongs to the frame of every page: the command box, the progress strip, kept views, columns, whys, jobs."""

from datetime import timedelta
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from relvan.core.listings.state import listing_state
from relvan.core.refusal import Refused, not_found
from relvan.core.why import Why
from relvan.services.listings.offers import worked_out_listing
from relvan.services.listings.refresh import facts_of
from relvan.services.people.desk import choose_columns, drop_view, keep_view
from relvan.services.stock.availability import availability
from relvan.store.catalogue import product_by_id
from relvan.store.channels import channel_by_id
from relvan.store.jobs import job_rows, job_verdicts
from relvan.store.listings import listing_by_id
from relvan.store.orders import OrderFilter, order_page
from relvan.store.product_list import ProductFilter, product_page
from relvan.web.desk import At, Desk, Form

router = APIRouter()
STATIONS = (
    ("Today", "/"),
    ("Catalogue", "/catalogue"),
    ("New product", "/catalogue/new"),
    ("Listings", "/listings"),
    ("Stock", "/stock"),
    ("Prices", "/prices"),
    ("Orders", "/orders"),
    ("Inbox", "/orders?tray=inbox"),
    ("Short of stock", "/orders?tray=short"),
    ("Dispatch", "/dispatch"),
    ("Consignments", "/consignments"),
    ("Setup", "/setup"),
    ("Bulk jobs", "/jobs"),
)
STAYS = timedelta(seconds=20)


@router.get("/find", name="find")
def find(desk: At, q: str = "") -> HTMLResponse:
    """Everything that the words may mean: stations, products, orders, parcels."""
    words = q.strip()[:60]
    places = [(name, path) for name, path in STATIONS if words.casefold() in name.casefold()]
    products: list[Any] = []
    orders: list[Any] = []
    if words:
        with desk.workplace.database.reading() as session:
            products = product_page(session, ProductFilter(words=words), limit=6)
            orders = order_page(session, OrderFilter(words=words), limit=6)
    return desk.fragment("parts/_found.html", places=places[:6], products=products, orders=orders, words=words)


@router.get("/progress", name="progress")
def progress(desk: At) -> HTMLResponse:
    """Bulk jobs that run, or have just ended."""
    with desk.workplace.database.reading() as session:
        jobs = job_rows(session, since=desk.workplace.now() - STAYS)
    return desk.fragment("parts/_progress.html", jobs=jobs[:3])


@router.get("/jobs", name="job_index")
def job_index(desk: At) -> HTMLResponse:
    """The last bulk jobs."""
    with desk.workplace.database.reading() as session:
        jobs = job_rows(session)
    return desk.page("jobs/index.html", "jobs", jobs=jobs)


@router.get("/jobs/{job_id:int}", name="job_show")
def job_show(desk: At, job_id: int, after: int = 0) -> HTMLResponse:
    """One bulk job with the verdict on each row; its rows alone when htmx asks."""
    with desk.workplace.database.reading() as session:
        jobs = job_rows(session, job_id=job_id)
        rows = job_verdicts(session, job_id, after=after)
    if not jobs:
        raise not_found("bulk job", job_id)
    if desk.request.headers.get("HX-Request"):
        return desk.fragment("jobs/_rows.html", job=jobs[0], rows=rows)
    return desk.page("jobs/show.html", "jobs", job=jobs[0], rows=rows)


@router.post("/views/{station}", name="view_keep")
def view_keep(desk: At, form: Form, station: str) -> Response:
    """Keep this view."""
    path = _inside(form.get("path", "/"))
    try:
        keep_view(desk.workplace, desk.actor, station[:20], form.get("name", ""), form.get("query", ""))
    except Refused as refused:
        return desk.done(f"{path}?{form.get('query', '')}", f"{refused.first.message} {refused.first.fix}", tone="look")
    return RedirectResponse(f"{path}?{form.get('query', '')}", 303)


@router.post("/views/drop/{view_id}", name="view_drop")
def view_drop(desk: At, form: Form, view_id: int) -> Response:
    """Drop a kept view."""
    drop_view(desk.workplace, desk.actor, view_id)
    return RedirectResponse(_inside(form.get("path", "/")), 303)


@router.post("/columns/{station}", name="columns_choose")
def columns_choose(desk: At, form: Form, station: str) -> Response:
    """Remember the columns chosen."""
    choose_columns(desk.workplace, desk.actor, station[:20], form.all("column"))
    return RedirectResponse(_inside(form.get("path", "/")), 303)


def _inside(path: str) -> str:
    return path if path.startswith("/") and not path.startswith(("//", "/\\")) else "/"


def _why(desk: Desk, title: str, why: Why, links: list[tuple[str, str]]) -> HTMLResponse:
    """The drawer: each step with its figure, and a bar drawn to the scale of the largest."""
    sizes = [_size(step.value) for step in why.steps]
    largest = max(sizes, default=0) or 1
    steps = list(zip(why.steps, sizes, strict=True))
    return desk.fragment("parts/_why.html", title=title, steps=steps, largest=largest, links=links)


def _size(value: str) -> float:
    """A figure's length on the drawing; 0 for what is no figure."""
    try:
        return max(0.0, float(value))
    except ValueError:
        return 0.0


@router.get("/why/free", name="why_free")
def why_free(desk: At, sku: str) -> HTMLResponse:
    """Why so many are free."""
    shown = availability(desk.workplace, sku)
    return _why(desk, f"Free of {sku}", shown.why, [("Stock of this product", f"/stock/{quote(sku)}")])


@router.get("/why/{what}/{listing_id:int}", name="why_listing")
def why_listing(desk: At, what: str, listing_id: int) -> HTMLResponse:
    """Why a listing shows this quantity or price, or stands as it does."""
    with desk.workplace.database.reading() as session:
        listing = listing_by_id(session, listing_id)
        channel = channel_by_id(session, listing.channel_id)
        product = product_by_id(session, listing.product_id)
        found = worked_out_listing(session, desk.workplace, listing)
        _, state_why = listing_state(facts_of(listing))
    name = f"{product.sku} on {channel.name}"
    setup, stock = f"/setup/channels/{channel.key}", f"/stock/{quote(product.sku)}"
    if what == "quantity":
        links = [("Stock of this product", stock), (f"How much {channel.name} shows", f"{setup}#policy")]
        return _why(desk, f"Shown of {name}", found.shown.why, links)
    if what == "price":
        links = [
            ("List price and floor", f"/prices?q={quote(product.sku)}"),
            (f"Steps of {channel.name}", f"{setup}#prices"),
        ]
        why = found.price.why if found.price else Why().then("Price list", "no price", "the product is not on it")
        return _why(desk, f"Price of {name}", why, links)
    return _why(desk, f"State of {name}: {listing.state}", state_why, [("The listing", f"/listings/{listing_id}")])


@router.get("/patterns", name="patterns")
def patterns(desk: At) -> HTMLResponse:
    """Every shared piece in every state, for developers."""
    return desk.page("parts/patterns.html", "patterns")


@router.get("/healthz", name="healthz")
def healthz() -> JSONResponse:
    """That the application answers."""
    return JSONResponse({"ok": True})
