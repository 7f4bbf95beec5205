"""Builds the sentence of the catalogue, which says in words which products a page shows, and the
filter for it.
"""

from collections.abc import Mapping
from typing import Any

from relvan.core.catalogue.product import ProductKind
from relvan.store.categories import category_paths
from relvan.store.channels import channel_names
from relvan.store.product_list import SORTING, ProductFilter
from relvan.web.passing_chips import product_gap_chips, read_product_gap
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

SORTS = SORTING.names() - {"on_hand"}
HINT = "SKU, title, GTIN or alias"
Named = list[tuple[str, str]]
KIND_WORDS = {
    "single": "that are singles",
    "family": "that are families",
    "variant": "that are variants",
    "kit": "that are kits",
    "service": "that are services",
}


def product_sentence(
    session: Any, query: Mapping[str, str], named: Named | None = None, *, strict: bool = False
) -> Sentence:
    """Returns the sentence of the catalogue; `named` are the channels when they have been read
    already.
    """
    named, own = named or channel_names(session), category_paths(session)
    family = query.get("family", "")
    chips = (
        Chip("category", "Category", tuple(Choice(name, f"in {name}") for name in own)),
        Chip("kind", "Kind", tuple(Choice(str(kind), KIND_WORDS[kind]) for kind in ProductKind)),
        Chip("on", "Listed on", tuple(Choice(key, f"on {name}") for key, name in named)),
        Chip(
            "not_on", "Not listed on", tuple(Choice(key, f"not on {name}") for key, name in named)
        ),
        Chip("stock", "Stock", (Choice("yes", "with stock"), Choice("no", "without stock"))),
        Chip("facts", "Details", (Choice("lacking", "with details missing"),)),
        Chip("archive", "Archive", (Choice("yes", "in the archive"),)),
        *((Chip("family", "Family", (Choice(family, f"of {family}"),)),) if family else ()),
        *product_gap_chips(session, query),
    )
    return read_sentence(
        ListKind("Products", "/catalogue", hint=HINT, sorts=SORTS), chips, query, strict=strict
    )


def product_filter(sentence: Sentence) -> ProductFilter:
    """Returns the filter for the sentence of the catalogue."""
    chosen = sentence.chosen
    return ProductFilter(
        words=sentence.words,
        category=chosen.get("category", ""),
        kind=chosen.get("kind", ""),
        family=chosen.get("family", ""),
        on=chosen.get("on", ""),
        not_on=chosen.get("not_on", ""),
        in_stock={"yes": True, "no": False}.get(chosen.get("stock", "")),
        lacking=chosen.get("facts") == "lacking",
        archived=chosen.get("archive") == "yes",
        **gap_part(sentence),
    )


def gap_part(sentence: Sentence) -> dict[str, Any]:
    """Returns the part of a filter to which a group of gaps led: the channel, the kind of gap, and
    the job that drafted.
    """
    channel, kind = read_product_gap(sentence.chosen.get("lacks", ""))
    drafts = sentence.chosen.get("drafts", "")
    return {"gap_on": channel, "gap_kind": kind, "drafts_of": int(drafts) if drafts else None}
