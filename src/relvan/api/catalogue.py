"""Serves products over HTTP."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Any

from fastapi import File, UploadFile
from pydantic import ValidationError

from relvan.api.desk import By, Caller, Limit, Matching, api_router, page_of
from relvan.api.product_shapes import ManyProducts, NewProduct, ProductChange, product_shape
from relvan.api.shapes import amount_of
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductDraft
from relvan.core.refusal import Refusal, Refused, refuse
from relvan.services.catalogue.pictures import add_picture, remove_picture
from relvan.services.catalogue.read import drafts_of, view_product
from relvan.services.catalogue.save import (
    archive_products,
    change_product,
    create_product,
    save_many,
)
from relvan.services.verdicts import refuse_with
from relvan.store.imports import all_currencies
from relvan.store.product_list import product_page

router = api_router(tags=["products"])


def currencies_of(by: Caller) -> dict[str, str]:
    """Returns the currency of every price list; "" stands for the seller's own."""
    with by.workplace.database.reading() as session:
        return all_currencies(session, by.workplace.firm.currency)


@router.get("/products")
def list_products(
    by: By, matching: Matching, kind: str = "", limit: Limit = 50, after: str = ""
) -> dict[str, Any]:
    """Returns products that match, in the order of their SKUs."""
    wanted = replace(matching, kind=kind)
    currency = by.workplace.firm.currency
    with by.workplace.database.reading() as session:
        rows, following = page_of(
            product_page(session, wanted, after=after, limit=limit + 1),
            limit,
            lambda row: row.sku.casefold(),
        )
    items = [
        {
            "sku": row.sku,
            "kind": row.kind,
            "title": row.title,
            "brand": row.brand,
            "category": row.category,
            "gtin": row.gtin or None,
            "price": amount_of(row.price, currency),
            "free": row.free,
            "on_hand": row.on_hand,
            "listings": row.states,
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.post("/products", status_code=201)
def post_product(by: By, change: NewProduct) -> dict[str, Any]:
    """Creates a product."""
    draft = change.draft(None, currencies_of(by))
    contents = change.new_pictures(by.workplace.settings.largest_picture_mb)
    sku = create_product(by.workplace, by.actor, draft)
    for content, role in contents:
        add_picture(by.workplace, by.actor, sku, content, role=role)
    return _product_shape(by, sku)


@router.post("/products/bulk")
def post_products(by: By, many: ManyProducts) -> dict[str, Any]:
    """Creates or changes many products and returns a verdict for each. One that is refused does not
    stop the others.
    """
    currencies = currencies_of(by)
    standing = drafts_of(by.workplace, [str(item.get("sku", "")) for item in many.items])
    drafts = [_draft(item, standing, currencies) for item in many.items]
    verdicts = save_many(by.workplace, by.actor, drafts)
    return {
        "items": [
            {"sku": v.subject, "ok": v.ok, "code": v.code, "message": v.message, "fix": v.fix}
            for v in verdicts
        ]
    }


def _draft(
    item: dict[str, Any],
    standing: Mapping[str, tuple[ProductDraft, ProductDraft]],
    currencies: dict[str, str],
) -> tuple[str, ProductDraft | Refused]:
    sku = str(item.get("sku", ""))
    try:
        change = ProductChange.model_validate(item)
        own, whole = standing.get(sku_key(sku), (None, None))
        return sku, change.draft(own, currencies, whole)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"])
        return sku, Refused(
            Refusal("invalid", f"“{place}”: {first['msg']}.", "See /api/docs.", place)
        )
    except Refused as refused:
        return sku, refused


@router.post("/products/{sku:path}/pictures", status_code=201)
def post_picture(by: By, sku: str, file: Annotated[UploadFile, File()]) -> dict[str, Any]:
    """Adds a picture to a product: PNG, JPEG or WebP."""
    most = by.workplace.settings.largest_picture_mb * 1_000_000
    content = file.file.read(most + 1)
    if not content:
        raise refuse("missing", "“file” must not be empty.", "Send a picture.", "file")
    add_picture(by.workplace, by.actor, sku, content)
    return _product_shape(by, sku)


@router.delete("/products/{sku:path}/pictures/{sha}")
def delete_picture(by: By, sku: str, sha: str) -> dict[str, Any]:
    """Removes a picture from a product."""
    remove_picture(by.workplace, by.actor, sku, sha)
    return _product_shape(by, sku)


@router.get("/products/{sku:path}")
def get_product(by: By, sku: str) -> dict[str, Any]:
    """Returns one product, by its SKU or an alias."""
    return _product_shape(by, sku)


@router.patch("/products/{sku:path}")
def patch_product(by: By, sku: str, change: ProductChange) -> dict[str, Any]:
    """Changes the fields of a product that are given."""
    view = view_product(by.workplace, sku)
    draft = change.draft(view.draft, currencies_of(by), view.whole)
    contents = change.new_pictures(by.workplace.settings.largest_picture_mb)
    now = change_product(by.workplace, by.actor, sku, draft)
    for content, role in contents:
        add_picture(by.workplace, by.actor, now, content, role=role)
    if change.archived is not None:
        _archive(by, now, archived=change.archived)
    return _product_shape(by, now)


@router.delete("/products/{sku:path}")
def delete_product(by: By, sku: str) -> dict[str, Any]:
    """Puts a product into the archive. This is refused while it is listed or ordered."""
    _archive(by, sku, archived=True)
    return {"sku": sku, "archived": True}


def _archive(by: Caller, sku: str, *, archived: bool) -> None:
    verdict = archive_products(by.workplace, by.actor, [sku], archived=archived)[0]
    refuse_with(verdict, "sku")


def _product_shape(by: Caller, sku: str) -> dict[str, Any]:
    return product_shape(view_product(by.workplace, sku), currencies_of(by))
