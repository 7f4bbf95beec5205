"""Serves categories, attributes, price lists and history over HTTP."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.catalogue import currencies_of
from relvan.api.described import (
    AnyMoment,
    Flag,
    PictureAddress,
    Role,
    described,
    described_text,
)
from relvan.api.desk import By, Cursor, IdOrNone, Limit, api_router, page_of
from relvan.api.picture_shapes import ArrangedPicture
from relvan.api.shapes import Shape
from relvan.core.catalogue.attributes import AttributeKind
from relvan.core.catalogue.pictures import PictureRole
from relvan.core.catalogue.product import MOST_WORD
from relvan.core.money import MINOR_DIGITS
from relvan.core.refusal import refuse
from relvan.core.texts import PATH, WORDS
from relvan.services.catalogue.categories import (
    add_category,
    ask_for,
    attribute_rule,
    drop_attribute,
    drop_category,
    rename_category,
    save_attribute,
)
from relvan.services.catalogue.pictures import arrange_pictures
from relvan.services.catalogue.read import facts_at, view_product
from relvan.services.imports.by_address import fetch_pictures
from relvan.services.prices.lists import (
    LIST_KEY,
    NewPriceList,
    TypedPrice,
    add_price_list,
    set_prices,
)
from relvan.store.categories import attributes, category_rows
from relvan.store.history import HistoryFilter, HistoryRow, history, product_history
from relvan.store.prices import price_lists

router = api_router(tags=["catalogue set-up and history"])


class CategoryShape(Shape):
    """A category by its path; `to` renames or moves it, `asks` says which attributes it recommends."""

    path: Annotated[str, described_text(PATH, 2 * MOST_WORD)]
    to: Annotated[str, described_text(PATH, 2 * MOST_WORD)] | None = None
    asks: dict[str, bool] | None = None


class AttributeShape(Shape):
    """An attribute: text, number, one of, several of, yes/no or date; `was` is the name of the one
    to change."""

    name: Annotated[str, described_text(WORDS, MOST_WORD)]
    kind: Annotated[str, described(AttributeKind)] = "text"
    unit: Annotated[str, described_text(WORDS, 20, least=0)] = ""
    choices: list[str] = Field(default_factory=list, max_length=1000)
    was: str = ""


class PriceListShape(Shape):
    """A price list to be created."""

    key: Annotated[str, described_text(LIST_KEY, 40)]
    name: Annotated[str, described_text(WORDS, MOST_WORD)]
    currency: Annotated[str, described(sorted(MINOR_DIGITS))]
    tax_inside: Flag = True


class PriceCell(Shape):
    """One price as typed; an empty one removes the product from the list."""

    sku: str
    price: str = Field(max_length=40)
    least: int = Field(default=1, ge=1, le=1_000_000)


class PriceCells(Shape):
    """Prices of one list."""

    cells: list[PriceCell] = Field(max_length=20_000)


class Addresses(Shape):
    """Pictures by their addresses on the web."""

    addresses: list[PictureAddress] = Field(min_length=1, max_length=30)
    role: Role = PictureRole.FURTHER


class Arranged(Shape):
    """A product's pictures in order."""

    pictures: list[ArrangedPicture] = Field(max_length=60)


@router.get("/categories")
def get_categories(by: By) -> dict[str, Any]:
    """Returns the whole tree, in order."""
    with by.workplace.database.reading() as session:
        rows = category_rows(session)
    return {
        "items": [
            {"path": row.path, "products": row.products, "asks": dict(row.asks)} for row in rows
        ]
    }


@router.post("/categories", status_code=201)
def post_category(by: By, wish: CategoryShape) -> dict[str, Any]:
    """Creates a category, renames or moves it, or sets what it recommends."""
    path = wish.path
    if wish.to is not None:
        rename_category(by.workplace, by.actor, path, wish.to)
        path = wish.to
    else:
        path = add_category(by.workplace, by.actor, path)
    if wish.asks is not None:
        ask_for(by.workplace, by.actor, path, wish.asks)
    return {"path": path}


@router.delete("/categories/{path:path}")
def delete_category(by: By, path: str) -> dict[str, Any]:
    """Deletes an empty category."""
    drop_category(by.workplace, by.actor, path)
    return {"path": path}


@router.get("/attributes")
def get_attributes(by: By) -> dict[str, Any]:
    """Returns the attributes that are defined."""
    with by.workplace.database.reading() as session:
        found = attributes(session)
    return {
        "items": [
            {"name": a.name, "kind": a.kind, "unit": a.unit, "choices": a.choices} for a in found
        ]
    }


@router.post("/attributes", status_code=201)
def post_attribute(by: By, wish: AttributeShape) -> dict[str, Any]:
    """Defines an attribute, or changes one."""
    rule = attribute_rule(wish.name, wish.kind, wish.unit, wish.choices)
    save_attribute(by.workplace, by.actor, rule, name=wish.was)
    return {"name": rule.name, "kind": rule.kind, "unit": rule.unit, "choices": list(rule.choices)}


@router.delete("/attributes/{name:path}")
def delete_attribute(by: By, name: str) -> dict[str, Any]:
    """Deletes an attribute's definition; the values stay."""
    drop_attribute(by.workplace, by.actor, name)
    return {"name": name}


@router.get("/price-lists")
def get_price_lists(by: By) -> dict[str, Any]:
    """Returns all price lists."""
    with by.workplace.database.reading() as session:
        found = price_lists(session)
    items = [
        {"key": p.key, "name": p.name, "currency": p.currency, "tax_inside": p.tax_inside}
        for p in found
    ]
    return {"items": items}


@router.post("/price-lists", status_code=201)
def post_price_list(by: By, wish: PriceListShape) -> dict[str, Any]:
    """Creates a price list."""
    key = add_price_list(by.workplace, by.actor, NewPriceList(**wish.model_dump()))
    return {**wish.model_dump(), "key": key}


@router.post("/price-lists/{key}/prices")
def post_prices(by: By, key: str, wish: PriceCells) -> dict[str, Any]:
    """Saves many prices of a list and returns a verdict for each product."""
    cells = [TypedPrice(cell.sku, key, cell.price, cell.least) for cell in wish.cells]
    verdicts = set_prices(by.workplace, by.actor, cells)
    return {
        "items": [
            {"sku": v.subject, "ok": v.ok, "code": v.code, "message": v.message, "fix": v.fix}
            for v in verdicts
        ]
    }


@router.put("/products/{sku:path}/pictures")
def put_pictures(by: By, sku: str, wish: Arranged) -> dict[str, Any]:
    """Puts a product's pictures in order, each with its role; those left out are removed from it."""
    order = []
    for picture in wish.pictures:
        if not picture.sha:
            raise refuse(
                "missing",
                "A picture must be named by its sha.",
                "Read the product first.",
                "pictures",
            )
        order.append((picture.sha, picture.role))
    arrange_pictures(by.workplace, by.actor, sku, order)
    return {
        "sku": sku,
        "pictures": [
            {"sha": p.sha, "role": p.role} for p in view_product(by.workplace, sku).pictures
        ],
    }


@router.post("/products/{sku:path}/pictures/fetch", status_code=202)
def post_addresses(by: By, sku: str, wish: Addresses) -> dict[str, Any]:
    """Fetches pictures from the web in the background and answers with the bulk job."""
    return {"id": fetch_pictures(by.workplace, by.actor, sku, wish.addresses, role=wish.role)}


@router.get("/products/{sku:path}/history")
def get_history(by: By, sku: str, limit: Limit = 50) -> dict[str, Any]:
    """Returns what was changed on a product, the newest first."""
    with by.workplace.database.reading() as session:
        rows = history(session, "product", view_product(by.workplace, sku).id, limit=limit)
    return {"items": [_entry(row) for row in rows]}


@router.get("/products/{sku:path}/as-of")
def get_as_of(by: By, sku: str, at: AnyMoment) -> dict[str, Any]:
    """Returns a product's own values as they were at a time."""
    if at.tzinfo is None:
        raise refuse("form", "“at” must say its zone.", "Like 2026-03-31T12:00:00Z.", "at")
    return {
        "sku": sku,
        "at": at.isoformat(),
        "facts": facts_at(by.workplace, sku, at),
        "currencies": currencies_of(by),
    }


@router.get("/history")
def get_station_history(
    by: By, via: str = "", job: IdOrNone = None, limit: Limit = 50, after: Cursor = 0
) -> dict[str, Any]:
    """Returns what was changed on products, the newest first."""
    with by.workplace.database.reading() as session:
        found = product_history(
            session, HistoryFilter(via=via, job=job), after=after, limit=limit + 1
        )
    rows, following = page_of(found, limit, lambda row: row.id)
    return {"items": [{"sku": row.subject, **_entry(row)} for row in rows], "next": following}


def _entry(row: HistoryRow) -> dict[str, Any]:
    return {
        "at": row.at.isoformat(),
        "who": row.who,
        "via": row.via,
        "deed": row.deed,
        "job": row.job,
        "changes": row.changes,
    }
