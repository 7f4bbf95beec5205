"""Builds the sentence of stock by product, which says in words which products the page shows, and
the filter for it.
"""

from collections.abc import Mapping
from typing import Any

from relvan.store.categories import category_paths
from relvan.store.product_list import ProductFilter
from relvan.web.passing_chips import product_gap_chips
from relvan.web.product_sentence import HINT, gap_part
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

SORTS = frozenset({"sku", "title", "on_hand"})


def stock_sentence(session: Any, query: Mapping[str, str], *, strict: bool = False) -> Sentence:
    """Returns the sentence of stock by product."""
    chips = (
        Chip(
            "category",
            "Category",
            tuple(Choice(name, f"in {name}") for name in category_paths(session)),
        ),
        Chip(
            "stock", "Stock", (Choice("yes", "with free stock"), Choice("no", "without free stock"))
        ),
        Chip("blocked", "Blocked", (Choice("yes", "with blocked units"),)),
        *product_gap_chips(session, query),
    )
    return read_sentence(
        ListKind("Stock of products", "/stock", hint=HINT, sorts=SORTS), chips, query, strict=strict
    )


def stock_filter(sentence: Sentence) -> ProductFilter:
    """Returns the filter for the sentence of stock by product."""
    chosen = sentence.chosen
    return ProductFilter(
        words=sentence.words,
        category=chosen.get("category", ""),
        in_stock={"yes": True, "no": False}.get(chosen.get("stock", "")),
        blocked=bool(chosen.get("blocked")),
        stocked=True,
        **gap_part(sentence),
    )
