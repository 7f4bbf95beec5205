"""Serves a product's own page with its details by kind, pictures, parts, aliases, stock, listings
and history; and creates products.
"""

from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote
from zoneinfo import ZoneInfo

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, Response
from starlette.concurrency import run_in_threadpool

from relvan.core.catalogue.facts import Facts, draft_from, label_of
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import ProductDraft, ProductKind
from relvan.core.refusal import Refusal, Refused, not_found, refuse_if_any
from relvan.services.catalogue.kept_pictures import THUMBNAILS, thumbnail_file
from relvan.services.catalogue.pictures import (
    add_picture,
    arrange_pictures,
    put_picture_first,
    remove_picture,
)
from relvan.services.catalogue.read import ProductView, facts_at, sums_of_kit, view_in
from relvan.services.catalogue.save import change_product
from relvan.services.imports.by_address import fetch_pictures
from relvan.services.stock.new_product import FirstStock, create_with_stock
from relvan.store.catalogue import find_product, product_by_id
from relvan.store.channels import channel_names
from relvan.store.facts import codes, facts_by_id
from relvan.store.history import history
from relvan.store.holdings import load_holdings
from relvan.store.kits import kits_above
from relvan.store.listing_list import listings_of_products
from relvan.store.prices import price_lists
from relvan.store.product_list import ProductFilter, ProductRow, product_page, rows_by_id
from relvan.store.stock import stock_with_bins, warehouses
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.pages.families import family_page
from relvan.web.product_form import form_values, retyped
from relvan.web.reading import FormReader, fields_under
from relvan.web.reading_product import facts_from_form

router = APIRouter()
NEW_KINDS = (ProductKind.SINGLE, ProductKind.KIT, ProductKind.SERVICE)


def _currencies(desk: Desk) -> dict[str, str]:
    with desk.workplace.database.reading() as session:
        lists = {one.key: one.currency for one in price_lists(session)}
    return {"": desk.workplace.firm.currency, **lists}


@router.get("/catalogue/new", name="product_new")
def product_new(desk: At, kind: str = "single") -> HTMLResponse:
    """Shows an empty form."""
    chosen = ProductKind(kind) if kind in set(NEW_KINDS) else ProductKind.SINGLE
    with desk.workplace.database.reading() as session:
        values = form_values(session, ProductDraft(sku="", title="", kind=chosen))
        values["warehouses"] = [
            (warehouse.key, warehouse.name) for warehouse in warehouses(session)
        ]
    return desk.page("products/new.html", "catalogue", **values, kinds=NEW_KINDS, errors={})


@router.post("/catalogue/new", name="product_create")
async def product_create(desk: At, form: Form) -> Response:
    """Creates a product, with the pictures chosen in the same form."""
    contents = [await file.read(30_000_000) for file in form.files("picture")]
    return await run_in_threadpool(_create, desk, form, contents)


def _create(desk: Desk, form: PostedForm, contents: list[bytes]) -> Response:
    try:
        draft, stock = _read_new(desk, form)
        sku = create_with_stock(desk.workplace, desk.actor, draft, stock)
    except Refused as refused:
        kind = form.get("kind", "single")
        start = ProductDraft(
            sku="",
            title="",
            kind=ProductKind(kind) if kind in set(NEW_KINDS) else ProductKind.SINGLE,
        )
        with desk.workplace.database.reading() as session:
            values = retyped(form, form_values(session, start))
            values["warehouses"] = [
                (warehouse.key, warehouse.name) for warehouse in warehouses(session)
            ]
        values |= {
            "kinds": NEW_KINDS,
            "errors": first_by_field(refused.refusals),
            "refusals": refused.refusals,
        }
        return desk.page("products/new.html", "catalogue", status=422, **values)
    problems = _add_pictures(desk, sku, contents)
    if problems:
        return _product_page(
            desk, sku, status=422, errors=first_by_field(problems), refusals=tuple(problems)
        )
    return desk.done(_path(sku), f"{sku} is in the catalogue.")


def _read_new(desk: Desk, form: PostedForm) -> tuple[ProductDraft, FirstStock | None]:
    """Returns the product and its first stock as they were typed; every field that cannot be read
    is refused together.
    """
    read, refusals = FormReader(form), list[Refusal]()
    units = read.whole("units", "Units on hand")
    try:
        draft = draft_from(facts_from_form(form, {}, _currencies(desk)))
    except Refused as refused:
        refusals += refused.refusals
    refuse_if_any([*refusals, *read.refusals])
    stock = FirstStock(units, read.text("warehouse"), read.text("bin")) if units else None
    return draft, stock


def _path(sku: str) -> str:
    return f"/products/{quote(sku, safe='')}"


def _add_pictures(desk: Desk, sku: str, contents: list[bytes]) -> list[Refusal]:
    problems: list[Refusal] = []
    for content in contents:
        try:
            add_picture(desk.workplace, desk.actor, sku, content)
        except Refused as refused:
            problems += refused.refusals
    return problems


def _product_page(
    desk: Desk,
    sku: str,
    *,
    status: int = 200,
    form: PostedForm | None = None,
    errors: dict[str, Refusal] | None = None,
    refusals: tuple[Refusal, ...] = (),
) -> HTMLResponse:
    """Shows a product's page, as the product is or with what was typed."""
    with desk.workplace.database.reading() as session:
        view = view_in(session, sku)
        if view.draft.kind == ProductKind.FAMILY and form is None:
            return family_page(desk, view.draft.sku)
        values = form_values(session, view.draft, view.categories)
        values |= {
            "product": view.draft,
            "view": view,
            "pictures": view.pictures,
            "missing": view.completeness.missing,
            "history": history(session, "product", view.id),
        }
        values |= _by_kind(session, view)
    if form is not None:
        values = retyped(form, values)
    values |= {"errors": errors or {}, "refusals": refusals}
    return desk.page("products/show.html", "catalogue", status=status, **values)


def _by_kind(session: Any, view: ProductView) -> dict[str, Any]:
    """Returns what the page of a kind of product needs beside the details."""
    draft, product_id = view.draft, view.id
    found: dict[str, Any] = {
        "stock": [],
        "listings": listings_of_products(session, [product_id]),
        "channels": channel_names(session),
        "head": view.head,
        "axes": [(trait.name, trait.values) for trait in view.head.axes] if view.head else [],
        "part_pairs": [(part.sku, part.quantity) for part in draft.parts],
    }
    if draft.kind in (ProductKind.SINGLE, ProductKind.VARIANT):
        found["stock"] = stock_with_bins(session, product_id)
    return found


def _ids(session: Any, draft: ProductDraft) -> list[int]:
    return [found[0] for found in codes(session, [part.sku for part in draft.parts]).values()]


@router.get("/products/{sku:path}/pictures/{sha}/{side}", name="picture_show")
def picture_show(desk: At, sku: str, sha: str, side: int) -> FileResponse:
    """Returns a thumbnail. Its name is that of its content, so browsers may keep it for ever."""
    if side not in THUMBNAILS or len(sha) != 64 or not sha.isalnum():
        raise not_found("picture", sha[:12])
    path = desk.workplace.files.path(thumbnail_file(sha, side))
    if not path.exists():
        raise not_found("picture", sha[:12])
    return FileResponse(path, headers={"Cache-Control": "private, max-age=31536000, immutable"})


@router.post("/products/{sku:path}/pictures", name="picture_add")
async def picture_add(desk: At, form: Form, sku: str) -> Response:
    """Adds pictures: files at once, addresses in the background."""
    contents = [await file.read(30_000_000) for file in form.files("picture")]
    return await run_in_threadpool(_pictures_added, desk, sku, contents, form)


def _pictures_added(desk: Desk, sku: str, contents: list[bytes], form: PostedForm) -> Response:
    problems = _add_pictures(desk, sku, contents)
    addresses = form.get("address", "").split()
    if addresses:
        try:
            fetch_pictures(desk.workplace, desk.actor, sku, addresses)
        except Refused as refused:
            problems += [Refusal(r.code, r.message, r.fix, "picture") for r in refused.refusals]
    if not contents and not addresses:
        problems = [
            Refusal(
                "missing", "No picture was chosen.", "Choose a file or paste an address.", "picture"
            )
        ]
    if problems:
        return _product_page(
            desk, sku, status=422, errors=first_by_field(problems), refusals=tuple(problems)
        )
    words = (
        f"{len(contents)} added to {sku}." if contents else f"Fetching {len(addresses)} for {sku}."
    )
    return desk.done(_path(sku), words)


@router.post("/products/{sku:path}/pictures/arrange", name="picture_arrange")
def picture_arrange(desk: At, form: Form, sku: str) -> Response:
    """Puts pictures in order, each with its role."""
    order = list(zip(form.all("sha"), form.all("role"), strict=False))
    shown = [(sha, "description" if role == "description" else "further") for sha, role in order]
    arrange_pictures(desk.workplace, desk.actor, sku, shown)
    return desk.done(_path(sku), "Pictures are in order.")


@router.post("/products/{sku:path}/pictures/{sha}/first", name="picture_first")
def picture_first(desk: At, form: Form, sku: str, sha: str) -> Response:
    """Makes a picture the main one."""
    put_picture_first(desk.workplace, desk.actor, sku, sha)
    return desk.done(_path(sku), "Main picture changed.")


@router.post("/products/{sku:path}/pictures/{sha}/remove", name="picture_remove")
def picture_remove(desk: At, form: Form, sku: str, sha: str) -> Response:
    """Removes a picture from a product."""
    remove_picture(desk.workplace, desk.actor, sku, sha)
    return desk.done(_path(sku), "Picture taken off.")


@router.post("/products/{sku:path}/alias", name="alias_change")
def alias_change(desk: At, form: Form, sku: str) -> Response:
    """Saves the values that an alias has of its own in listings."""
    alias = form.get("alias", "")
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        facts = facts_by_id(session, [product.id])[product.id]
    prices: dict[str, int] = {}
    try:
        for key in fields_under(form, "alias_price_"):
            amount = _read_amount(form, f"alias_price_{key}", _currencies(desk)[key])
            prices |= {key: amount} if amount is not None else {}
        own = {
            "title": form.get("alias_title", "").strip(),
            "picture": form.get("alias_picture", ""),
            "prices": prices,
        }
        new = {**facts, Keyed.ALIAS.fact(alias): own if any(own.values()) else None}
        change_product(desk.workplace, desk.actor, product.sku, draft_from(new))
    except Refused as refused:
        return _product_page(
            desk,
            sku,
            status=422,
            errors=first_by_field(refused.refusals),
            refusals=refused.refusals,
        )
    return desk.done(_path(product.sku), f"Alias {alias} is saved.")


def _read_amount(form: PostedForm, name: str, currency: str) -> int | None:
    read = FormReader(form)
    amount = read.amount(name, currency)
    read.raise_if_refused()
    return amount


@router.get("/products/{sku:path}/related", name="product_related")
def product_related(desk: At, sku: str) -> HTMLResponse:
    """Shows the kits that use a product, and its family; the page loads this when a person has
    scrolled down to it.
    """
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        kits = rows_by_id(session, sorted(kits_above(session, [product.id]))[:30])
        siblings: list[ProductRow] = []
        if product.family_id is not None:
            head = product_by_id(session, product.family_id)
            siblings = product_page(session, ProductFilter(family=head.sku), limit=60)
    return desk.fragment("products/_related.html", product=product, kits=kits, siblings=siblings)


@router.get("/products/{sku:path}/parts", name="product_parts")
def product_parts(desk: At, sku: str) -> HTMLResponse:
    """Shows the parts of a kit with their sums; the page loads this when it is shown."""
    with desk.workplace.database.reading() as session:
        view = view_in(session, sku)
        first = next(iter(price_lists(session)), None)
        rows = {row.sku.casefold(): row for row in rows_by_id(session, _ids(session, view.draft))}
        facts = facts_by_id(session, [view.id])[view.id]
        sums = None if first is None else sums_of_kit(session, facts, first.key)
    parts = [(part, rows.get(part.sku.casefold())) for part in view.draft.parts]
    return desk.fragment(
        "products/_kit.html", draft=view.draft, parts=parts, sums=sums, sums_list=first
    )


@router.get("/products/{sku:path}/can-be-made", name="product_can_be_made")
def product_can_be_made(desk: At, sku: str) -> HTMLResponse:
    """Shows how often a kit can be made in each warehouse; the page loads this when a person has
    scrolled down to it.
    """
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        stock = load_holdings(session, [product.id]).of(product.id)
    return desk.fragment("products/_can_be_made.html", product=product, kit_stock=stock)


@router.get("/products/{sku:path}/at", name="product_at")
def product_at(desk: At, sku: str, at: str = "") -> HTMLResponse:
    """Shows a product as it was at a time, beside what it is now."""
    try:
        moment = datetime.fromisoformat(at)
    except ValueError:
        raise Refused(
            Refusal("form", "“At” must be a time.", "Choose a day and hour.", "at")
        ) from None
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=ZoneInfo(desk.workplace.firm.time_zone))
    then = facts_at(desk.workplace, sku, moment.astimezone(UTC))
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        now: Facts = facts_by_id(session, [product.id])[product.id]
    names = list(dict.fromkeys([*then, *now]))
    rows = [(label_of(name), name, then.get(name), now.get(name)) for name in names]
    return desk.page("products/at.html", "catalogue", product=product, rows=rows, moment=moment)


@router.get("/products/{sku:path}", name="product_show")
def product_show(desk: At, sku: str) -> Response:
    """Shows a product's own page; that of a family is its grid."""
    return _product_page(desk, sku)


@router.post("/products/{sku:path}", name="product_change")
def product_change(desk: At, form: Form, sku: str) -> Response:
    """Saves what was changed."""
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        before = facts_by_id(session, [product.id])[product.id]
    try:
        now = change_product(
            desk.workplace,
            desk.actor,
            sku,
            draft_from(facts_from_form(form, before, _currencies(desk))),
        )
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        if product.kind == ProductKind.FAMILY:
            return family_page(desk, sku, status=422, form=form, refused=refused)
        return _product_page(
            desk, sku, status=422, form=form, errors=errors, refusals=refused.refusals
        )
    return desk.done(_path(now), f"{now} is saved.")
