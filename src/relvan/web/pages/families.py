"""Serves the pages of families: creating them by linking or from traits, and their grid, in which
variants are moved and missing ones created.
"""

from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.catalogue.families import generate
from relvan.core.catalogue.product import Trait
from relvan.core.refusal import Refused
from relvan.services.catalogue.families import (
    NewFamily,
    dissolve,
    fill_hole,
    generate_family,
    link_family,
    propose_family,
    rename_trait,
    set_traits,
    split_off,
)
from relvan.services.catalogue.grid import family_grid
from relvan.services.catalogue.read import view_in
from relvan.store.catalogue import find_product
from relvan.store.categories import category_paths
from relvan.store.channels import channel_names
from relvan.store.facts import traits_of_variants
from relvan.store.history import history
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.product_form import SPARE_ROWS, form_values, retyped

router = APIRouter(prefix="/families")
MOST_TRAITS = 3


def _path(sku: str) -> str:
    return f"/products/{quote(sku, safe='')}"


def family_page(
    desk: Desk,
    sku: str,
    *,
    status: int = 200,
    form: PostedForm | None = None,
    refused: Refused | None = None,
    traits: Mapping[str, Mapping[str, str]] | None = None,
) -> HTMLResponse:
    """Shows a family: its grid, what its variants inherit, pictures and history; with what was
    typed of the family in `form`, or of its variants in `traits`.
    """
    grid = family_grid(desk.workplace, sku)
    tab = desk.request.query_params.get("tab", "")
    if grid.tabs and tab not in grid.tabs.values:
        tab = grid.tabs.values[0] if grid.tabs.values else ""
    with desk.workplace.database.reading() as session:
        product = find_product(session, sku)
        view = view_in(session, product.sku)
        values: dict[str, Any] = {
            "product": product,
            "view": view,
            "grid": grid,
            "tab": tab,
            "rows": grid.rows(tab),
            "pictures": view.pictures,
            "history": history(session, "product", view.id),
            "channel_names": channel_names(session),
            "traits_of": {i: held for i, _, held in traits_of_variants(session, view.id)},
            "retyped": traits or {},
            "errors": first_by_field(refused.refusals) if refused else {},
            "refusals": refused.refusals if refused else (),
            "missing": view.completeness.missing,
            **form_values(session, view.draft, view.categories),
            "asked": [],
            "attributes": [*view.draft.attributes.items(), *[("", "")] * SPARE_ROWS],
        }
    if form is not None:
        values = retyped(form, values)
    return desk.page("families/show.html", "catalogue", status=status, **values)


@router.get("/new", name="family_new")
def family_new(desk: At) -> HTMLResponse:
    """Shows the form for a family from traits and their values."""
    return _new(desk)


def _new(desk: Desk, *, status: int = 200, **values: Any) -> HTMLResponse:
    start: dict[str, Any] = {"typed": {}, "axes": [], "errors": {}, "variants": [], "refusals": ()}
    start["categories"] = []
    with desk.workplace.database.reading() as session:
        start["categories"] = category_paths(session)
    return desk.page("families/new.html", "catalogue", status=status, **{**start, **values})


def _axes(form: PostedForm) -> tuple[Trait, ...]:
    found = []
    for name, typed in zip(form.all("axis_name"), form.all("axis_values"), strict=False):
        values = [
            value.strip()
            for value in typed.replace("\r", "").replace(",", "\n").split("\n")
            if value.strip()
        ]
        if name.strip():
            found.append(Trait(name.strip(), tuple(dict.fromkeys(values))))
    return tuple(found)


@router.post("/preview", name="family_preview")
def family_preview(desk: At, form: Form) -> HTMLResponse:
    """Shows the variants that would be created."""
    try:
        variants = generate(form.get("sku_pattern", ""), form.get("title_pattern", ""), _axes(form))
    except Refused as refused:
        return desk.fragment("families/_preview.html", variants=[], refusals=refused.refusals)
    return desk.fragment("families/_preview.html", variants=variants)


@router.post("/new", name="family_create")
def family_create(desk: At, form: Form) -> Response:
    """Creates the family with all its variants."""
    axes = _axes(form)
    shared = {name: form.get(name, "").strip() for name in ("category", "brand", "description")}
    family = NewFamily(form.get("sku", "").strip(), form.get("title", "").strip(), axes, shared)
    try:
        made = generate_family(
            desk.workplace,
            desk.actor,
            family,
            form.get("sku_pattern", ""),
            form.get("title_pattern", ""),
        )
    except Refused as refused:
        errors = first_by_field(refused.refusals)
        return _new(
            desk, status=422, typed=dict(form), axes=axes, errors=errors, refusals=refused.refusals
        )
    return desk.done(
        _path(family.sku), f"{family.sku} and {len(made)} variants are in the catalogue."
    )


@router.post("/link", name="family_link_page")
def family_link_page(desk: At, form: Form) -> HTMLResponse:
    """Shows the ticked products side by side, with the traits and values that their differences
    suggest.
    """
    skus = list(dict.fromkeys([*form.all("pick"), *form.get("more", "").replace(",", " ").split()]))
    try:
        found = propose_family(desk.workplace, skus)
    except Refused as refused:
        return _link(desk, status=422, skus=skus, refusals=refused.refusals)
    return _link(
        desk,
        skus=list(found.values),
        traits=found.traits,
        values=found.values,
        title=found.title,
        distinct=found.tells_apart,
        sku=_head_sku(list(found.values)),
    )


def _head_sku(skus: list[str]) -> str:
    """Returns the letters with which all SKUs begin, as a proposal for the family's."""
    first, last = min(skus), max(skus)
    common = next(
        (first[:n] for n, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), first
    )
    return common.rstrip("-_. /") or f"{skus[0]}-F"


def _link(desk: Desk, *, status: int = 200, **values: Any) -> HTMLResponse:
    start: dict[str, Any] = {
        "skus": [],
        "traits": (),
        "values": {},
        "title": "",
        "sku": "",
        "distinct": True,
        "errors": {},
        "refusals": (),
        "titles": {},
    }
    merged = {**start, **values}
    with desk.workplace.database.reading() as session:
        for sku in merged["skus"]:
            try:
                merged["titles"][sku] = find_product(session, sku).title
            except Refused:
                merged["titles"][sku] = "not in the catalogue"
    return desk.page("families/link.html", "catalogue", status=status, **merged)


@router.post("/make", name="family_make")
def family_make(desk: At, form: Form) -> Response:
    """Links the products as the table says."""
    names = [name.strip() for name in form.all("trait")]
    skus = form.all("member")
    typed = {sku: form.all(f"value_{n}") for n, sku in enumerate(skus)}
    members = {
        sku: {name: value for name, value in zip(names, values, strict=False) if name}
        for sku, values in typed.items()
    }
    axes = tuple(Trait(name) for name in names if name)
    family = NewFamily(form.get("sku", "").strip(), form.get("title", "").strip(), axes, {})
    try:
        link_family(desk.workplace, desk.actor, family, members)
    except Refused as refused:
        return _link(
            desk,
            status=422,
            skus=skus,
            traits=tuple(names),
            sku=family.sku,
            title=family.title,
            values={sku: dict(zip(names, values, strict=False)) for sku, values in typed.items()},
            errors=first_by_field(refused.refusals),
            refusals=refused.refusals,
        )
    return desk.done(
        _path(family.sku), f"{len(members)} products are variants of {family.sku} now."
    )


@router.post("/{sku:path}/traits", name="family_traits")
def family_traits(desk: At, form: Form, sku: str) -> Response:
    """Saves the trait values that were corrected in the grid, all at once."""
    values: dict[str, dict[str, str]] = {}
    for variant, trait, value in zip(
        form.all("variant"), form.all("trait"), form.all("value"), strict=False
    ):
        values.setdefault(variant, {})[trait] = value
    try:
        set_traits(desk.workplace, desk.actor, values)
    except Refused as refused:
        return family_page(desk, sku, status=422, refused=refused, traits=values)
    return desk.done(_path(sku), "Traits are saved.")


@router.post("/{sku:path}/fill", name="family_fill")
def family_fill(desk: At, form: Form, sku: str) -> Response:
    """Creates the variant of a missing combination, or makes an existing product that variant."""
    traits = dict(zip(form.all("trait"), form.all("value"), strict=False))
    try:
        made = fill_hole(
            desk.workplace,
            desk.actor,
            sku,
            traits,
            sku=form.get("new_sku", "").strip(),
            title=form.get("new_title", "").strip(),
        )
    except Refused as refused:
        return family_page(desk, sku, status=422, refused=refused)
    return desk.done(_path(sku), f"{made} is the variant that was missing.")


@router.post("/{sku:path}/rename-trait", name="family_rename_trait")
def family_rename_trait(desk: At, form: Form, sku: str) -> Response:
    """Renames a trait."""
    rename_trait(desk.workplace, desk.actor, sku, form.get("old", ""), form.get("new", "").strip())
    return desk.done(_path(sku), f"The trait is called {form.get('new', '').strip()} now.")


@router.post("/{sku:path}/split-off", name="family_split_off")
def family_split_off(desk: At, form: Form, sku: str) -> Response:
    """Makes variants single products again."""
    split_off(desk.workplace, desk.actor, form.all("pick"))
    return desk.done(
        _path(sku), f"{len(form.all('pick'))} split off; they keep what the family lent them."
    )


@router.post("/{sku:path}/dissolve", name="family_dissolve")
def family_dissolve(desk: At, form: Form, sku: str) -> Response:
    """Makes all variants single products and archives the family."""
    skus = dissolve(desk.workplace, desk.actor, sku)
    return desk.done("/catalogue", f"{sku} is dissolved: {len(skus)} singles again.")
