"""Builds the sentence of coverage, which says in words which products the grid shows, and the
filter for it.
"""

from collections.abc import Mapping
from typing import Any

from relvan.store.categories import category_paths
from relvan.store.channels import channel_names
from relvan.store.coverage import CoverageFilter
from relvan.web.reading import fields_under
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

HINT = "SKU, title, GTIN or alias"
WAYS = (
    ("not", "not on {}"),
    ("on", "on {}"),
    ("selling", "selling on {}"),
    ("draft", "with gaps on {}"),
    ("ready", "ready for {}"),
    ("behind", "outdated on {}"),
    ("refused", "refused by {}"),
    ("down", "down on {}"),
)


def coverage_sentence(
    session: Any,
    query: Mapping[str, str],
    named: list[tuple[str, str]] | None = None,
    *,
    strict: bool = False,
) -> Sentence:
    """Returns the sentence of coverage; `named` are the channels when they have been read already."""
    named = named or channel_names(session)
    chips = (
        Chip("stock", "Stock", (Choice("yes", "with stock"), Choice("no", "without stock"))),
        *(
            Chip(f"at_{key}", name, tuple(Choice(way, words.format(name)) for way, words in WAYS))
            for key, name in named
        ),
        Chip(
            "category",
            "Category",
            tuple(Choice(name, f"in {name}") for name in category_paths(session)),
        ),
    )
    return read_sentence(
        ListKind("Coverage of products", "/listings/coverage", hint="SKU, title, GTIN or alias"),
        chips,
        query,
        strict=strict,
    )


def coverage_filter(sentence: Sentence) -> CoverageFilter:
    """Returns the filter for the sentence of coverage."""
    chosen = sentence.chosen
    at = {key: way for key, way in fields_under(chosen, "at_").items() if way}
    stock = {"yes": True, "no": False}.get(chosen.get("stock", ""))
    return CoverageFilter(sentence.words, chosen.get("category", ""), stock, at)
