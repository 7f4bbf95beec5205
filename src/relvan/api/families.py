"""Serves families over HTTP: proposing, linking and generating them, and moving variants."""

from typing import Annotated, Any

from pydantic import ConfigDict, Field

from relvan.api.catalogue import currencies_of
from relvan.api.described import Sku, described_text
from relvan.api.desk import By, api_router
from relvan.api.product_shapes import ProductChange, TraitShape, product_shape
from relvan.api.shapes import Shape
from relvan.core.catalogue.facts import SHARED, facts_of
from relvan.core.catalogue.keyed import Keyed, kind_of_fact
from relvan.core.catalogue.product import MOST_TITLE, MOST_TRAITS, ProductDraft, Trait
from relvan.core.texts import WORDS
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
from relvan.services.catalogue.read import view_product

router = api_router(tags=["families"])


class Skus(Shape):
    """Products by their SKUs."""

    skus: list[str] = Field(min_length=1, max_length=1000)


class FamilyShape(Shape):
    """A family to be created: from `members` that exist (SKU -> trait -> value), or with every
    combination of the values of its `axes`, whose SKUs and titles follow a pattern such as
    `PT-{Diameter:2}-{Glaze:3}`.
    """

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "anyOf": [
                {"required": ["axes"], "properties": {"axes": {"minItems": 1}}},
                {"required": ["members"], "properties": {"members": {"minProperties": 1}}},
            ]
        },
    )

    sku: Sku
    title: str = ""
    axes: list[TraitShape] = Field(
        default_factory=list, max_length=10, json_schema_extra={"maxItems": MOST_TRAITS}
    )
    members: dict[str, dict[str, str]] = Field(default_factory=dict)
    sku_pattern: str = ""
    title_pattern: str = ""
    shared: ProductChange | None = None


class VariantShape(Shape):
    """A variant to be created for a missing combination, or an existing product that becomes it."""

    sku: Sku
    title: Annotated[str, described_text(WORDS, MOST_TITLE, least=0)] = ""
    traits: dict[str, str]


class TraitRename(Shape):
    """A trait's old and new name."""

    old: str
    new: str


class TraitValues(Shape):
    """New values by SKU and trait."""

    values: dict[str, dict[str, str]]


@router.post("/families/propose")
def post_proposal(by: By, wish: Skus) -> dict[str, Any]:
    """Proposes traits and values from what differs between products."""
    found = propose_family(by.workplace, wish.skus)
    return {
        "title": found.title,
        "traits": list(found.traits),
        "values": found.values,
        "distinct": found.tells_apart,
    }


@router.post("/families", status_code=201)
def post_family(by: By, wish: FamilyShape) -> dict[str, Any]:
    """Creates a family, by linking products that exist or by generating its variants."""
    shared: dict[str, Any] = {}
    if wish.shared is not None:
        said = facts_of(wish.shared.draft(ProductDraft(sku="", title=""), currencies_of(by)))
        shared = {
            n: v
            for n, v in said.items()
            if n in SHARED or kind_of_fact(n) in (Keyed.ATTRIBUTE, Keyed.PRICE)
        }
    axes = tuple(Trait(axis.name, tuple(axis.values)) for axis in wish.axes)
    family = NewFamily(wish.sku, wish.title or wish.sku, axes, shared)
    if wish.members:
        link_family(by.workplace, by.actor, family, wish.members)
    else:
        title = (
            wish.title_pattern
            or f"{family.title}, {', '.join('{' + axis.name + '}' for axis in axes)}"
        )
        generate_family(by.workplace, by.actor, family, wish.sku_pattern, title)
    return product_shape(view_product(by.workplace, wish.sku), currencies_of(by))


@router.get("/families/{sku:path}/grid")
def get_grid(by: By, sku: str) -> dict[str, Any]:
    """Returns every combination of the family's values, with the variant that has it or none where
    it is missing.
    """
    grid = family_grid(by.workplace, sku)
    return {
        "sku": grid.sku,
        "axes": [{"name": trait.name, "values": list(trait.values)} for trait in grid.axes],
        "cells": [
            {"traits": cell.traits, "sku": cell.row.sku if cell.row else None}
            for cell in grid.every_cell()
        ],
    }


@router.post("/families/{sku:path}/variants", status_code=201)
def post_variant(by: By, sku: str, wish: VariantShape) -> dict[str, Any]:
    """Creates a missing variant."""
    fill_hole(by.workplace, by.actor, sku, wish.traits, sku=wish.sku, title=wish.title)
    return product_shape(view_product(by.workplace, wish.sku), currencies_of(by))


@router.post("/families/{sku:path}/traits")
def post_traits(by: By, sku: str, wish: TraitValues) -> dict[str, Any]:
    """Gives variants other values on their traits, all at once."""
    set_traits(by.workplace, by.actor, wish.values)
    return product_shape(view_product(by.workplace, sku), currencies_of(by))


@router.post("/families/{sku:path}/rename-trait")
def post_rename(by: By, sku: str, wish: TraitRename) -> dict[str, Any]:
    """Renames a trait."""
    rename_trait(by.workplace, by.actor, sku, wish.old, wish.new)
    return product_shape(view_product(by.workplace, sku), currencies_of(by))


@router.post("/families/{sku:path}/dissolve")
def post_dissolve(by: By, sku: str) -> dict[str, Any]:
    """Makes all variants single products again and archives the family."""
    return {"skus": dissolve(by.workplace, by.actor, sku)}


@router.post("/families/split-off")
def post_split_off(by: By, wish: Skus) -> dict[str, Any]:
    """Makes variants single products again."""
    split_off(by.workplace, by.actor, wish.skus)
    return {"skus": wish.skus}
