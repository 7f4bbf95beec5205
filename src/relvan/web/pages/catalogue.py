"""Serves the pages of the catalogue: the list of products, the changes of many of them, and their
export to a file.
"""

from typing import Any
from urllib.parse import parse_qsl

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response, StreamingResponse

from relvan.core.catalogue.bulk import NOT_IN_BULK, OPERATIONS, Operation
from relvan.core.catalogue.facts import NAMES, form_of, label_of
from relvan.core.catalogue.keyed import Keyed
from relvan.core.refusal import Refused
from relvan.services.bulk.take_out import columns_for, take_out
from relvan.services.catalogue.bulk import change_many, foresee
from relvan.services.catalogue.save import archive_products
from relvan.services.imports.receive import kind_of
from relvan.services.listings.draft import foresee_drafts
from relvan.store.catalogue import named_products, product_uses
from relvan.store.channels import channel_names
from relvan.store.counting import count_with_page
from relvan.store.history import HistoryFilter, product_history
from relvan.store.imports import many_names
from relvan.store.product_list import count_products, product_page
from relvan.web.chosen import chosen_products, filter_of
from relvan.web.desk import At, Desk, Form, PostedForm
from relvan.web.product_sentence import SORTS, product_filter, product_sentence
from relvan.web.reading import fields_under
from relvan.web.sentence import Chip, Choice, ListKind, read_sentence

router = APIRouter(prefix="/catalogue")
PAGE = 50
MOST_NAMED = 20  # products whose reason to stay is named one by one
SAMPLE = 8
COLUMNS = (
    ("title", "Title"),
    ("kind", "Kind"),
    ("category", "Category"),
    ("brand", "Brand"),
    ("gtin", "GTIN"),
    ("weight", "Weight"),
    ("price", "List price"),
    ("cost", "Cost"),
    ("free", "Free"),
    ("facts", "Details"),
    ("listed", "Listed on"),
    ("changed", "Changed"),
)
SHOWN_FIRST = ("title", "kind", "category", "price", "free", "facts", "listed")


@router.get("", name="product_index")
def product_index(desk: At, after: str = "") -> HTMLResponse:
    """Shows the list; only its rows when htmx asks for them."""
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        sentence = product_sentence(session, desk.request.query_params, named)
        wanted = product_filter(sentence)
        rows = product_page(session, wanted, after=after, limit=PAGE + 1, sort=sentence.sort)
        total = count_with_page(rows, PAGE, after, lambda: count_products(session, wanted))
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "more": sentence.url(after=rows[PAGE - 1].sku.casefold()) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
        "channel_names": named,
        "sorts": SORTS,
    }
    return desk.page(
        "catalogue/index.html",
        "catalogue",
        count_view=lambda s, q: count_products(s, product_filter(product_sentence(s, q))),
        **values,
    )


@router.post("/foresee/archive", name="product_foresee_archive")
def product_foresee_archive(desk: At, form: Form) -> HTMLResponse:
    """Shows which of the chosen products would be archived."""
    skus = chosen_products(desk, form)
    with desk.workplace.database.reading() as session:
        known = named_products(session, skus)
        ids = {found.sku: found.id for found in known.values() if not found.archived}
        where = product_uses(session, ids.values())
    uses = {sku: where[product_id] for sku, product_id in ids.items() if where.get(product_id)}
    shown = dict(list(uses.items())[:MOST_NAMED])
    return desk.fragment(
        "catalogue/_foresee.html",
        count=len(skus),
        would=len(ids) - len(uses),
        uses=shown,
        more=len(uses) - len(shown),
    )


@router.post("/foresee/draft", name="product_foresee_draft")
def product_foresee_draft(desk: At, form: Form) -> HTMLResponse:
    """Shows how many drafts of the chosen products would be created on which channel. The channels
    that the page's sentence names are ticked.
    """
    foreseen = foresee_drafts(desk.workplace, chosen_products(desk, form))
    query = dict(parse_qsl(form.get("query", "")))
    spoken_of = {query.get("not_on", "")} | {
        key for key, way in fields_under(query, "at_").items() if way == "not"
    }
    return desk.fragment("catalogue/_draft.html", foreseen=foreseen, spoken_of=spoken_of)


@router.post("/archive", name="product_archive")
def product_archive(desk: At, form: Form) -> Response:
    """Archives the chosen products."""
    verdicts = archive_products(
        desk.workplace, desk.actor, chosen_products(desk, form), archived=True
    )
    return desk.verdicts("/catalogue", verdicts, "Archived", undo_path="/catalogue/unarchive")


@router.post("/unarchive", name="product_unarchive")
def product_unarchive(desk: At, form: Form) -> Response:
    """Restores the chosen products from the archive."""
    verdicts = archive_products(
        desk.workplace, desk.actor, chosen_products(desk, form), archived=False
    )
    return desk.verdicts("/catalogue", verdicts, "Restored", undo_path="/catalogue/archive")


def _bulk_facts(desk: Desk) -> list[tuple[str, str, str]]:
    """Returns (fact, label, form) of every detail that can be changed for many at once."""
    with desk.workplace.database.reading() as session:
        many = many_names(session)
    names = [name for name in NAMES if name not in (*NOT_IN_BULK, "archived")]
    names += [Keyed.PRICE.fact(key) for key in many["price"]] + [
        Keyed.ATTRIBUTE.fact(name) for name in many["attribute"]
    ]
    return [(name, label_of(name), form_of(name).form) for name in names]


def _operations(form: PostedForm) -> list[Operation]:
    """Returns the operations that were typed; a line without a detail is skipped."""
    lines = zip(form.all("fact"), form.all("deed"), form.all("value"), form.all("by"), strict=False)
    return [Operation(fact, deed, value, by) for fact, deed, value, by in lines if fact]


@router.post("/change/panel", name="product_change_panel")
def product_change_panel(desk: At, form: Form) -> HTMLResponse:
    """Shows the panel in which details are chosen."""
    skus = chosen_products(desk, form)
    return desk.fragment(
        "catalogue/_change.html", count=len(skus), facts=_bulk_facts(desk), deeds=OPERATIONS
    )


@router.post("/change/foresee", name="product_change_foresee")
def product_change_foresee(desk: At, form: Form) -> HTMLResponse:
    """Shows old and new values of a few of the chosen products."""
    skus = chosen_products(desk, form)
    try:
        sample = foresee(desk.workplace, _operations(form), skus[:SAMPLE])
    except Refused as refused:
        return desk.fragment(
            "catalogue/_sample.html", sample=[], count=len(skus), refusals=refused.refusals
        )
    return desk.fragment("catalogue/_sample.html", sample=sample, count=len(skus))


@router.post("/change", name="product_change_many")
def product_change_many(desk: At, form: Form) -> Response:
    """Rehearses the change as a bulk job."""
    wanted = filter_of(desk, form.get("query", "")) if form.get("all") else None
    job = change_many(
        desk.workplace, desk.actor, _operations(form), skus=form.all("pick"), wanted=wanted
    )
    return desk.go(f"/jobs/{job}")


@router.get("/take-out", name="product_take_out")
def product_take_out(
    desk: At, query: str = "", kind: str = "products", pick: str = ""
) -> HTMLResponse:
    """Asks which columns the file is to have."""
    columns = columns_for(desk.workplace, kind_of(kind))
    with desk.workplace.database.reading() as session:
        total = count_products(session, filter_of(desk, query))
    values: dict[str, Any] = {
        "columns": columns,
        "kind": kind_of(kind),
        "query": query,
        "total": total,
        "pick": pick,
    }
    return desk.page("catalogue/take_out.html", "catalogue", **values)


@router.post("/take-out", name="product_file")
def product_file(desk: At, form: Form) -> StreamingResponse:
    """Returns the products as a file."""
    skus = [sku for sku in form.get("pick", "").split("\n") if sku]
    taken = take_out(
        desk.workplace,
        form.get("kind", "products"),
        form.get("form", "csv"),
        skus=skus,
        wanted=None if skus else filter_of(desk, form.get("query", "")),
        chosen=form.all("column"),
    )
    head = {"Content-Disposition": f'attachment; filename="{taken.name}"'}
    return StreamingResponse(taken.content, media_type=taken.media, headers=head)


@router.get("/history", name="product_history")
def history_index(desk: At, after: int = 0, job: int | None = None) -> HTMLResponse:
    """Shows what was changed on products, the newest first."""
    ways = ("hand", "api", "import", "bulk job", "undo")
    chips = (Chip("via", "By what", tuple(Choice(way, f"by {way}") for way in ways)),)
    sentence = read_sentence(
        ListKind("Changes of products", "/catalogue/history"), chips, desk.request.query_params
    )
    wanted = HistoryFilter(via=sentence.chosen.get("via", ""), job=job)
    with desk.workplace.database.reading() as session:
        rows = product_history(session, wanted, after=after, limit=PAGE + 1)
    more = (
        {"after": str(rows[PAGE - 1].id), **({"job": str(job)} if job else {})}
        if len(rows) > PAGE
        else {}
    )
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "more": sentence.url(**more) if more else "",
        "job": job,
    }
    return desk.page("catalogue/history.html", "catalogue", **values)
