"""Wording looked at before it is kept: over real products, with its length against the rulebook."""

from collections.abc import Sequence
from dataclasses import dataclass

from relvan.core.listings.cascade import told_value
from relvan.core.listings.rulebook import FieldRule
from relvan.core.listings.wording import check_wording, write
from relvan.core.refusal import Refusal
from relvan.services.workplace import Workplace
from relvan.store.imports import many_names_shown
from relvan.store.listed import listed_products
from relvan.store.product_list import ProductFilter, product_page
from relvan.store.session import Session


@dataclass(frozen=True)
class Preview:
    """What wording makes of one product: the text as it is sent, its length, and what the product
    does not say."""

    sku: str
    text: str
    length: int
    missing: tuple[str, ...]
    fits: bool


def preview_wording(
    workplace: Workplace, rule: FieldRule, text: str, *, words: str = "", most: int = 4
) -> tuple[list[Preview], Sequence[Refusal]]:
    """The wording over a few products that words find, or the first; or why it cannot be used."""
    refusals = check_wording(text)
    if refusals:
        return [], refusals
    with workplace.database.reading() as session:
        rows = product_page(session, ProductFilter(words=words.strip()[:100]), limit=most)
        listed = listed_products(session, [row.id for row in rows])
    previews = []
    for row in rows:
        written = write(text, *listed[row.id].product.places())
        told = told_value(rule, written.text)
        fits = (rule.most is None or len(told) <= rule.most) and len(told) >= (rule.least or 0)
        previews.append(Preview(row.sku, told, len(told), written.missing, fits))
    return previews, ()


def attribute_names(session: Session) -> list[str]:
    """The names of attributes and traits that products have, for whoever writes wording."""
    names = many_names_shown(session)
    found = {name.casefold(): name for name in (*names["trait"], *names["attribute"])}
    return sorted(found.values(), key=str.casefold)
