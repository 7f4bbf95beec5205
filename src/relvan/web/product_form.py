"""Prepares the form of a product: the choices it offers, and the product as it is or as it was
typed.
"""

from typing import Any

from relvan.core.catalogue.attributes import asked_of
from relvan.core.catalogue.product import TAX_CODES, ProductDraft
from relvan.store.categories import CategoryTree, category_tree
from relvan.store.prices import price_lists
from relvan.web.desk import PostedForm

SPARE_ROWS = 2


def form_values(
    session: Any,
    draft: ProductDraft,
    categories: CategoryTree | None = None,
) -> dict[str, Any]:
    """Returns what the form offers beside the product: categories, price lists, the recommended
    attributes. `categories` is the tree of categories, where it has been read already.
    """
    tree = category_tree(session) if categories is None else categories
    rules, asked = tree.rules, asked_of(draft.category, tree.asks)
    held = {name.casefold(): value for name, value in draft.attributes.items()}
    asked_names = {name.casefold() for name in asked}
    typed = [
        (rules[name.casefold()], held.get(name.casefold(), ""), ask.needed)
        for name, ask in asked.items()
    ]
    free = [
        (name, value)
        for name, value in draft.attributes.items()
        if name.casefold() not in asked_names
    ]
    return {
        "categories": tree.paths,
        "price_lists": [
            (one.key, one.name, one.currency, one.tax_inside) for one in price_lists(session)
        ],
        "tax_codes": TAX_CODES,
        "asked": typed,
        "attributes": [*free, *[("", "")] * SPARE_ROWS],
        "draft": draft,
        "typed": {},
    }


def retyped(form: PostedForm, values: dict[str, Any]) -> dict[str, Any]:
    """Returns what the form shows after a refusal: everything that was typed."""
    names, texts = form.all("attribute_name"), form.all("attribute_value")
    pairs = {
        name.casefold(): (name, text)
        for name, text in zip(names, texts, strict=False)
        if name or text
    }
    asked = [
        (rule, pairs.pop(rule.name.casefold(), ("", value))[1], needed)
        for rule, value, needed in values["asked"]
    ]
    parts = [
        pair
        for pair in zip(form.all("part_sku"), form.all("part_quantity"), strict=False)
        if pair[0]
    ]
    return {
        **values,
        "typed": dict(form),
        "asked": asked,
        "attributes": [*pairs.values(), *[("", "")] * SPARE_ROWS],
        "typed_parts": parts,
        "typed_traits": dict(zip(form.all("trait_name"), form.all("trait_value"), strict=False)),
    }
