"""The catalogue: the list of products, what can be done to many of them, and taking them out as a file."""

from collections import Counter
from collections.abc import Mapping
from typing import Any
from urllib.parse import parse_qsl

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse

from relvan.core.catalogue.bulk import NOT_IN_BULK, OPERATIONS, Operation
from relvan.core.catalogue.facts import NAMES, form_of, label_of
from relvan.core.catalogue.product import ProductKind
from relvan.core.refusal import Refused
from relvan.services.catalogue.bulk import change_many, foresee
from relvan.services.catalogue.save import archive_products
from relvan.services.imports.receive import kind_of
from relvan.services.imports.take_out import columns_for, take_out
from relvan.store.catalogue import find_product, product_uses
from relvan.store.categories import category_paths
from relvan.store.channels import channel_names
from relvan.store.history import HistoryFilter, product_history
from relvan.store.imports import many_names
from relvan.store.listings import listings_of_products
from relvan.store.product_list import ProductFilter, all_skus, count_products, product_page
from relvan.web.desk import At, Desk, Form, PostedForm
from relvan.web.sentence import Chip, Choice, Sentence, read_sentence

router = APIRouter(prefix="/catalogue")
PAGE = 50
MOST_FORESEEN = 500
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
    ("facts", "Facts"),
    ("listed", "Listed on"),
    ("changed", "Changed"),
)
SHOWN_FIRST = ("title", "kind", "category", "price", "free", "facts", "listed")
KIND_WORDS = {"single": "that are singles", "family": "that are families", "variant": "that are variants",
              "kit": "that are kits", "service": "that are services"}  # fmt: skip


Named = list[tuple[str, str]]


def _sentence(session: Any, query: Mapping[str, str], named: Named | None = None) -> Sentence:
    """What the page shows, in a sentence; `named` are the channels when they have been read already."""
    named, own = named or channel_names(session), category_paths(session)
    family = query.get("family", "")
    chips = (
        Chip("category", "Category", tuple(Choice(name, f"in {name}") for name in own)),
        Chip("kind", "Kind", tuple(Choice(str(kind), KIND_WORDS[kind]) for kind in ProductKind)),
        Chip("on", "Listed on", tuple(Choice(key, f"on {name}") for key, name in named)),
        Chip("not_on", "Not listed on", tuple(Choice(key, f"not on {name}") for key, name in named)),
        Chip("stock", "Stock", (Choice("yes", "with stock"), Choice("no", "without stock"))),
        Chip("facts", "Facts", (Choice("lacking", "with facts missing"),)),
        Chip("archive", "Archive", (Choice("yes", "in the archive"),)),
        *((Chip("family", "Family", (Choice(family, f"of {family}"),)),) if family else ()),
    )
    hint = "SKU, title, GTIN or alias"
    return read_sentence("Products", "/catalogue", chips, query, hint=hint)


def _filter(sentence: Sentence) -> ProductFilter:
    chosen = sentence.chosen
    return ProductFilter(
        words=sentence.words,
        category=chosen.get("category", ""),
        kind=chosen.get("kind", ""),
        family=chosen.get("family", ""),
        on=chosen.get("on", ""),
        not_on=chosen.get("not_on", ""),
        in_stock={"yes": True, "no": False}.get(chosen.get("stock", "")),
        lacking=chosen.get("facts") == "lacking",
        archived=chosen.get("archive") == "yes",
    )


def filter_of(desk: Desk, query: str) -> ProductFilter:
    """The filter that a sentence in a query string says."""
    with desk.workplace.database.reading() as session:
        return _filter(_sentence(session, dict(parse_qsl(query))))


def chosen_products(desk: Desk, form: PostedForm) -> list[str]:
    """The SKUs ticked, or all that the sentence of the page matches when `all` is ticked."""
    if not form.get("all"):
        return form.all("pick")
    with desk.workplace.database.reading() as session:
        return all_skus(session, filter_of(desk, form.get("query", "")))


@router.get("", name="product_index")
def product_index(desk: At, after: str = "") -> HTMLResponse:
    """The list; its rows alone when htmx asks for them."""
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        sentence = _sentence(session, desk.request.query_params, named)
        wanted = _filter(sentence)
        rows = product_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_products(session, wanted)
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "total": total,
        "more": sentence.url(after=rows[PAGE - 1].sku.casefold()) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
        "columns": COLUMNS,
        "shown_first": SHOWN_FIRST,
        "channel_names": named,
    }
    return desk.page(
        "catalogue/index.html",
        "catalogue",
        count_view=lambda s, q: count_products(s, _filter(_sentence(s, q))),
        **values,
    )


@router.post("/foresee/archive", name="product_foresee_archive")
def product_foresee_archive(desk: At, form: Form) -> HTMLResponse:
    """Which of the chosen products would go into the archive, before they do."""
    skus = chosen_products(desk, form)
    with desk.workplace.database.reading() as session:
        ids = {sku: find_product(session, sku).id for sku in skus[:MOST_FORESEEN]}
        where = product_uses(session, ids.values())
        uses = {sku: where.get(product_id, "") for sku, product_id in ids.items()}
    return desk.fragment("catalogue/_foresee.html", count=len(skus), uses={k: v for k, v in uses.items() if v})


@router.post("/foresee/draft", name="product_foresee_draft")
def product_foresee_draft(desk: At, form: Form) -> HTMLResponse:
    """How many drafts would be made on which channel, before they are."""
    skus = chosen_products(desk, form)[:MOST_FORESEEN]
    with desk.workplace.database.reading() as session:
        ids = [find_product(session, sku).id for sku in skus]
        there = Counter(row.channel_key for row in listings_of_products(session, ids))
        named = [(key, name, there[key]) for key, name in channel_names(session)]
    return desk.fragment("catalogue/_draft.html", count=len(skus), named=named)


@router.post("/archive", name="product_archive")
def product_archive(desk: At, form: Form) -> Response:
    """Put the chosen products into the archive."""
    verdicts = archive_products(desk.workplace, desk.actor, chosen_products(desk, form), archived=True)
    return desk.verdicts("/catalogue", verdicts, "Archived", undo_path="/catalogue/unarchive")


@router.post("/unarchive", name="product_unarchive")
def product_unarchive(desk: At, form: Form) -> Response:
    """Take the chosen products out of the archive."""
    verdicts = archive_products(desk.workplace, desk.actor, chosen_products(desk, form), archived=False)
    return desk.verdicts("/catalogue", verdicts, "Taken out of the archive", undo_path="/catalogue/archive")


def _bulk_facts(desk: Desk) -> list[tuple[str, str, str]]:
    """(fact, label, form) of all that can be changed for many at once."""
    with desk.workplace.database.reading() as session:
        many = many_names(session)
    names = [name for name in NAMES if name not in (*NOT_IN_BULK, "archived")]
    names += [f"price {key}" for key in many["price"]] + [f"attribute {name}" for name in many["attribute"]]
    return [(name, label_of(name), form_of(name).form) for name in names]


def _operations(form: PostedForm) -> list[Operation]:
    """The operations that were typed; a line without a fact counts for nothing."""
    lines = zip(form.all("fact"), form.all("deed"), form.all("value"), form.all("by"), strict=False)
    return [Operation(fact, deed, value, by) for fact, deed, value, by in lines if fact]


@router.post("/change/panel", name="product_change_panel")
def product_change_panel(desk: At, form: Form) -> HTMLResponse:
    """The panel in which facts are chosen."""
    skus = chosen_products(desk, form)
    return desk.fragment("catalogue/_change.html", count=len(skus), facts=_bulk_facts(desk), deeds=OPERATIONS)


@router.post("/change/foresee", name="product_change_foresee")
def product_change_foresee(desk: At, form: Form) -> HTMLResponse:
    """Old and new for a few of the chosen products."""
    skus = chosen_products(desk, form)
    try:
        sample = foresee(desk.workplace, _operations(form), skus[:SAMPLE])
    except Refused as refused:
        return desk.fragment("catalogue/_sample.html", sample=[], count=len(skus), refusals=refused.refusals)
    return desk.fragment("catalogue/_sample.html", sample=sample, count=len(skus))


@router.post("/change", name="product_change_many")
def product_change_many(desk: At, form: Form) -> Response:
    """Rehearse the change as a bulk job."""
    wanted = filter_of(desk, form.get("query", "")) if form.get("all") else None
    job = change_many(desk.workplace, desk.actor, _operations(form), skus=form.all("pick"), wanted=wanted)
    target = f"/jobs/{job}"
    if desk.request.headers.get("HX-Request"):
        return Response(status_code=204, headers={"HX-Redirect": target})
    return RedirectResponse(target, 303)


@router.get("/take-out", name="product_take_out")
def product_take_out(desk: At, query: str = "", kind: str = "products", pick: str = "") -> HTMLResponse:
    """Which columns the file is to have."""
    columns = columns_for(desk.workplace, kind_of(kind))
    with desk.workplace.database.reading() as session:
        total = count_products(session, filter_of(desk, query))
    values: dict[str, Any] = {"columns": columns, "kind": kind_of(kind), "query": query, "total": total, "pick": pick}
    return desk.page("catalogue/take_out.html", "catalogue", **values)


@router.post("/take-out", name="product_file")
def product_file(desk: At, form: Form) -> StreamingResponse:
    """The file."""
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
    """What was changed on products, newest first."""
    ways = ("hand", "api", "import", "bulk job", "undo")
    chips = (Chip("via", "By what", tuple(Choice(way, f"by {way}") for way in ways)),)
    sentence = read_sentence("Changes of products", "/catalogue/history", chips, desk.request.query_params)
    wanted = HistoryFilter(via=sentence.chosen.get("via", ""), job=job)
    with desk.workplace.database.reading() as session:
        rows = product_history(session, wanted, after=after, limit=PAGE + 1)
    more = {"after": str(rows[PAGE - 1].id), **({"job": str(job)} if job else {})} if len(rows) > PAGE else {}
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "more": sentence.url(**more) if more else "",
        "job": job,
    }
    return desk.page("catalogue/history.html", "catalogue", **values)
