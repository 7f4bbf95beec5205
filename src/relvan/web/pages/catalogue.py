"""The catalogue: the list, a product's own page, making and changing products, pictures, the archive."""

from collections import Counter
from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, Response
from starlette.concurrency import run_in_threadpool

from relvan.core.catalogue.product import TAX_CODES, ProductDraft, ProductKind, Size
from relvan.core.refusal import Refusal, Refused, not_found
from relvan.services.catalogue.complete import completeness_of
from relvan.services.catalogue.pictures import (
    THUMBNAILS,
    add_picture,
    put_picture_first,
    remove_picture,
    thumbnail_file,
)
from relvan.services.catalogue.save import archive_products, change_product, create_product, draft_of
from relvan.store.catalogue import find_product, movements, product_bins, product_pictures, product_uses
from relvan.store.categories import category_paths
from relvan.store.channels import channels
from relvan.store.history import history
from relvan.store.listings import listings_of_products
from relvan.store.prices import price_lists
from relvan.store.product_list import ProductFilter, count_products, product_page
from relvan.store.stock import stock_rows, warehouses
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader
from relvan.web.sentence import Chip, Choice, Sentence, read_sentence

router = APIRouter(prefix="/catalogue")
PAGE = 50
MOST_FORESEEN = 500
COLUMNS = (
    ("title", "Title"),
    ("category", "Category"),
    ("brand", "Brand"),
    ("gtin", "GTIN"),
    ("weight", "Weight"),
    ("price", "List price"),
    ("cost", "Cost"),
    ("free", "Free"),
    ("listed", "Listed on"),
    ("changed", "Changed"),
)
SHOWN_FIRST = ("title", "category", "price", "free", "listed", "changed")


def _sentence(desk: Desk, query: Mapping[str, str]) -> Sentence:
    with desk.workplace.database.reading() as session:
        named = [(channel.key, channel.name) for channel in channels(session)]
        own = category_paths(session)
    chips = (
        Chip("category", "Category", tuple(Choice(name, f"in {name}") for name in own)),
        Chip("on", "Listed on", tuple(Choice(key, f"on {name}") for key, name in named)),
        Chip("not_on", "Not listed on", tuple(Choice(key, f"not on {name}") for key, name in named)),
        Chip("stock", "Stock", (Choice("yes", "with stock"), Choice("no", "without stock"))),
        Chip("facts", "Facts", (Choice("lacking", "with facts missing"),)),
        Chip("archive", "Archive", (Choice("yes", "in the archive"),)),
    )
    hint = "SKU, title, GTIN or alias"
    return read_sentence("Products", "/catalogue", chips, query, hint=hint)


def _filter(sentence: Sentence) -> ProductFilter:
    chosen = sentence.chosen
    return ProductFilter(
        words=sentence.words,
        category=chosen.get("category", ""),
        on=chosen.get("on", ""),
        not_on=chosen.get("not_on", ""),
        in_stock={"yes": True, "no": False}.get(chosen.get("stock", "")),
        lacking=chosen.get("facts") == "lacking",
        archived=chosen.get("archive") == "yes",
    )


@router.get("", name="product_index")
def product_index(desk: At, after: str = "") -> HTMLResponse:
    """The list; its rows alone when htmx asks for them."""
    sentence = _sentence(desk, desk.request.query_params)
    wanted = _filter(sentence)
    with desk.workplace.database.reading() as session:
        rows = product_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_products(session, wanted)
        named = [(channel.key, channel.name) for channel in channels(session)]
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
        count_view=lambda s, q: count_products(s, _filter(_sentence(desk, q))),
        **values,
    )


@router.post("/foresee/archive", name="product_foresee_archive")
def product_foresee_archive(desk: At, form: Form) -> HTMLResponse:
    """Which of the ticked products would go into the archive, before they do."""
    skus = form.all("pick")
    with desk.workplace.database.reading() as session:
        uses = {sku: product_uses(session, find_product(session, sku).id) for sku in skus[:MOST_FORESEEN]}
    return desk.fragment("catalogue/_foresee.html", count=len(skus), uses={k: v for k, v in uses.items() if v})


@router.post("/foresee/draft", name="product_foresee_draft")
def product_foresee_draft(desk: At, form: Form) -> HTMLResponse:
    """How many drafts would be made on which channel, before they are."""
    skus = form.all("pick")[:MOST_FORESEEN]
    with desk.workplace.database.reading() as session:
        ids = [find_product(session, sku).id for sku in skus]
        there = Counter(row.channel_key for row in listings_of_products(session, ids))
        named = [(channel.key, channel.name, there[channel.key]) for channel in channels(session)]
    return desk.fragment("catalogue/_draft.html", count=len(skus), named=named)


def _draft(form: PostedForm, currency: str) -> ProductDraft:
    """What was typed, as a draft; refused with every field that cannot be read."""
    read = FormReader(form)
    sides = [read.whole(f"{side}_mm", side.capitalize()) for side in ("length", "width", "height")]
    size = None
    if any(side is not None for side in sides):
        if None in sides:
            read.refusals.append(Refusal("missing", "“Size” needs all three sides.", "Fill in the others.", "size"))
        else:
            size = Size(*(side or 0 for side in sides))
    names, texts = form.all("attribute_name"), form.all("attribute_value")
    attributes = {
        name.strip(): text.strip() for name, text in zip(names, texts, strict=False) if name.strip() or text.strip()
    }
    kind = read.text("kind") or "single"
    if kind not in {k.value for k in ProductKind}:
        read.refusals.append(Refusal("not-allowed", f"There is no kind “{kind[:20]}”.", "Choose one.", "kind"))
        kind = "single"
    prices = {
        name.removeprefix("price_"): amount
        for name in form
        if name.startswith("price_") and (amount := read.amount(name, currency)) is not None
    }
    draft = ProductDraft(
        sku=form.get("sku", ""),
        title=read.text("title"),
        kind=ProductKind(kind),
        brand=read.text("brand"),
        description=read.lines("description"),
        gtin=read.text("gtin").replace(" ", "") or None,
        category=read.text("category"),
        attributes=attributes,
        weight_g=read.whole("weight_g", "Weight"),
        size=size,
        cost=read.amount("cost", currency),
        floor=read.amount("floor", currency),
        prices=prices,
        tax_code=read.text("tax_code") or "standard",
        aliases=tuple(alias.strip() for alias in read.text("aliases").replace(",", "\n").split("\n") if alias.strip()),
    )
    read.raise_if_refused()
    return draft


def _typed(draft: ProductDraft | None) -> dict[str, Any]:
    """What the form shows before anybody types."""
    draft = draft or ProductDraft(sku="", title="", brand="Quillmoss")
    size = draft.size
    return {
        "draft": draft,
        "sides": (size.length, size.width, size.height) if size else ("", "", ""),
        "attributes": [*draft.attributes.items(), ("", ""), ("", "")],
        "typed": {},
    }


def _retyped(form: PostedForm) -> dict[str, Any]:
    """What the form shows after a refusal: all that was typed."""
    names, texts = form.all("attribute_name"), form.all("attribute_value")
    return {
        "draft": ProductDraft(sku=form.get("sku", ""), title=form.get("title", "")),
        "sides": tuple(form.get(f"{side}_mm", "") for side in ("length", "width", "height")),
        "attributes": [*zip(names, texts, strict=False), ("", "")],
        "typed": dict(form),
    }


def _form_values(desk: Desk) -> dict[str, Any]:
    with desk.workplace.database.reading() as session:
        return {
            "categories": category_paths(session),
            "price_lists": [(one.key, one.name, one.currency) for one in price_lists(session)],
            "tax_codes": TAX_CODES,
        }


@router.get("/new", name="product_new")
def product_new(desk: At) -> HTMLResponse:
    """An empty form."""
    return desk.page("catalogue/new.html", "catalogue", **_form_values(desk), **_typed(None), errors={})


@router.post("/new", name="product_create")
async def product_create(desk: At, form: Form) -> Response:
    """Make a product, with the pictures chosen in the same form."""
    contents = [await file.read(30_000_000) for file in form.files("picture")]
    return await run_in_threadpool(_create, desk, form, contents)


def _create(desk: Desk, form: PostedForm, contents: list[bytes]) -> Response:
    try:
        sku = create_product(desk.workplace, desk.actor, _draft(form, desk.workplace.settings.currency))
    except Refused as refused:
        values = {**_form_values(desk), **_retyped(form), "errors": first_by_field(refused.refusals)}
        return desk.page("catalogue/new.html", "catalogue", status=422, **values, refusals=refused.refusals)
    problems = _add_pictures(desk, sku, contents)
    if problems:
        return _show(desk, sku, status=422, errors=first_by_field(problems), refusals=tuple(problems))
    return desk.done(f"/catalogue/{sku}", f"{sku} is in the catalogue.")


def _add_pictures(desk: Desk, sku: str, contents: list[bytes]) -> list[Refusal]:
    problems: list[Refusal] = []
    for content in contents:
        try:
            add_picture(desk.workplace, desk.actor, sku, content)
        except Refused as refused:
            problems += refused.refusals
    return problems


def _show(
    desk: Desk,
    sku: str,
    *,
    status: int = 200,
    typed: dict[str, Any] | None = None,
    errors: dict[str, Refusal] | None = None,
    refusals: tuple[Refusal, ...] = (),
) -> HTMLResponse:
    """A product's page, as it is or with what was typed."""
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        pictures = product_pictures(session, product.id)
        draft = draft_of(session, product)
        values: dict[str, Any] = {
            "product": product,
            "pictures": pictures,
            "stock": stock_rows(session, [product.id]),
            "bins": product_bins(session, product.id),
            "movements": movements(session, product.id, limit=8),
            "listings": listings_of_products(session, [product.id]),
            "channels": [(channel.key, channel.name) for channel in channels(session)],
            "warehouses": [(warehouse.key, warehouse.name) for warehouse in warehouses(session)],
            "history": history(session, "product", product.id),
            "missing": completeness_of(session, [product.id])[product.id].missing,
        }
    values |= _form_values(desk)
    values |= typed or _typed(draft)
    return desk.page(
        "catalogue/show.html", "catalogue", status=status, **values, errors=errors or {}, refusals=refusals
    )


@router.post("/archive", name="product_archive")
def product_archive(desk: At, form: Form) -> Response:
    """Put the ticked products into the archive."""
    verdicts = archive_products(desk.workplace, desk.actor, form.all("pick"), archived=True)
    return desk.verdicts("/catalogue", verdicts, "Archived", undo_path="/catalogue/unarchive")


@router.post("/unarchive", name="product_unarchive")
def product_unarchive(desk: At, form: Form) -> Response:
    """Take the ticked products out of the archive."""
    verdicts = archive_products(desk.workplace, desk.actor, form.all("pick"), archived=False)
    return desk.verdicts("/catalogue", verdicts, "Taken out of the archive", undo_path="/catalogue/archive")


@router.get("/{sku:path}/pictures/{sha}/{side}", name="picture_show")
def picture_show(desk: At, sku: str, sha: str, side: int) -> FileResponse:
    """A thumbnail; its name is its content's, so that it may be kept for ever."""
    if side not in THUMBNAILS or len(sha) != 64 or not sha.isalnum():
        raise not_found("picture", sha[:12])
    path = desk.workplace.files.path(thumbnail_file(sha, side))
    if not path.exists():
        raise not_found("picture", sha[:12])
    return FileResponse(path, headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.post("/{sku:path}/pictures", name="picture_add")
async def picture_add(desk: At, form: Form, sku: str) -> Response:
    """Add pictures."""
    contents = [await file.read(30_000_000) for file in form.files("picture")]
    return await run_in_threadpool(_pictures_added, desk, sku, contents)


def _pictures_added(desk: Desk, sku: str, contents: list[bytes]) -> Response:
    problems = _add_pictures(desk, sku, contents)
    if not contents:
        problems = [Refusal("missing", "No picture was chosen.", "Choose a PNG, JPEG or WebP file.", "picture")]
    if problems:
        return _show(desk, sku, status=422, errors=first_by_field(problems), refusals=tuple(problems))
    return desk.done(f"/catalogue/{sku}", f"{len(contents)} added to {sku}.")


@router.post("/{sku:path}/pictures/{sha}/first", name="picture_first")
def picture_first(desk: At, form: Form, sku: str, sha: str) -> Response:
    """Make a picture the main one."""
    put_picture_first(desk.workplace, desk.actor, sku, sha)
    return desk.done(f"/catalogue/{sku}", "Main picture changed.")


@router.post("/{sku:path}/pictures/{sha}/remove", name="picture_remove")
def picture_remove(desk: At, form: Form, sku: str, sha: str) -> Response:
    """Take a picture off."""
    remove_picture(desk.workplace, desk.actor, sku, sha)
    return desk.done(f"/catalogue/{sku}", "Picture taken off.")


@router.get("/{sku:path}", name="product_show")
def product_show(desk: At, sku: str) -> HTMLResponse:
    """A product's own page."""
    return _show(desk, sku)


@router.post("/{sku:path}", name="product_change")
def product_change(desk: At, form: Form, sku: str) -> Response:
    """Save what was changed."""
    try:
        draft = _draft(form, desk.workplace.settings.currency)
        now = change_product(desk.workplace, desk.actor, sku, draft)
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _show(desk, sku, status=422, typed=_retyped(form), errors=errors, refusals=refused.refusals)
    return desk.done(f"/catalogue/{now}", f"{now} is saved.")
