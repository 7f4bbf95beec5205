"""Serves the pages of the seller's tree of categories, the attributes, and which category
recommends which.
"""

from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.catalogue.attributes import AttributeKind
from relvan.core.refusal import Refused
from relvan.services.catalogue.categories import (
    add_category,
    ask_for,
    attribute_rule,
    drop_attribute,
    drop_category,
    rename_category,
    save_attribute,
)
from relvan.store.categories import attributes, category_rows
from relvan.web.desk import At, Desk, Form, first_by_field

router = APIRouter(prefix="/categories")


def _categories_page(desk: Desk, *, status: int = 200, **values: Any) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rows, known = category_rows(session), attributes(session)
    path = desk.request.query_params.get("path", "")
    chosen = next((row for row in rows if row.path == path), rows[0] if rows else None)
    name = desk.request.query_params.get("attribute", "")
    editing = next((attribute for attribute in known if attribute.name == name), None)
    return desk.page(
        "categories/index.html",
        "catalogue",
        status=status,
        rows=rows,
        attributes=known,
        chosen=chosen,
        editing=editing,
        kinds=list(AttributeKind),
        **{"errors": {}, "typed": {}, "refusals": (), **values},
    )


@router.get("", name="category_index")
def category_index(desk: At) -> HTMLResponse:
    """Shows the tree, with what each category recommends."""
    return _categories_page(desk)


@router.post("/add", name="category_add")
def category_add(desk: At, form: Form) -> Response:
    """Creates a category."""
    try:
        path = add_category(desk.workplace, desk.actor, form.get("category", ""))
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _categories_page(
            desk, status=422, errors=errors, typed=dict(form), refusals=refused.refusals
        )
    return desk.done(_at(path), f"{path} is in the tree.")


def _at(path: str) -> str:
    return f"/categories?{urlencode({'path': path})}"


@router.post("/rename", name="category_rename")
def category_rename(desk: At, form: Form) -> Response:
    """Renames or moves a category, with everything in it."""
    new = form.get("new", "").strip()
    moved = rename_category(desk.workplace, desk.actor, form.get("path", ""), new)
    return desk.done(_at(new), f"{form.get('path', '')} is {new} now; {moved} products went along.")


@router.post("/drop", name="category_drop")
def category_drop(desk: At, form: Form) -> Response:
    """Deletes an empty category."""
    drop_category(desk.workplace, desk.actor, form.get("path", ""))
    return desk.done("/categories", f"{form.get('path', '')} is out of the tree.")


@router.post("/asks", name="category_asks")
def category_asks(desk: At, form: Form) -> Response:
    """Saves which attributes a category recommends."""
    needed = set(form.all("needed"))
    asks = {name: name in needed for name in dict.fromkeys([*form.all("asked"), *needed])}
    ask_for(desk.workplace, desk.actor, form.get("path", ""), asks)
    return desk.done(
        _at(form.get("path", "")), f"{form.get('path', '')} asks for {len(asks)} attributes."
    )


@router.post("/attributes", name="attribute_save")
def attribute_save(desk: At, form: Form) -> Response:
    """Defines an attribute, or changes one."""
    try:
        choices = form.get("choices", "").replace("\r", "").split("\n")
        rule = attribute_rule(
            form.get("name", ""), form.get("kind", "text"), form.get("unit", ""), choices
        )
        save_attribute(desk.workplace, desk.actor, rule, name=form.get("was", ""))
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _categories_page(
            desk, status=422, errors=errors, typed=dict(form), refusals=refused.refusals
        )
    return desk.done("/categories", f"The attribute {rule.name} is saved.")


@router.post("/attributes/drop", name="attribute_drop")
def attribute_drop(desk: At, form: Form) -> Response:
    """Deletes an attribute's definition."""
    drop_attribute(desk.workplace, desk.actor, form.get("name", ""))
    return desk.done("/categories", f"{form.get('name', '')} is plain text now; the values stay.")
