"""Coverage: products by channels as a grid of gauges, families folded; tick and draft on several channels at once."""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.store.categories import category_paths
from relvan.store.channels import channel_names
from relvan.store.coverage import (
    CoverageFilter,
    count_coverage,
    counts_by_channel,
    coverage_of_variants,
    coverage_page,
)
from relvan.web.desk import At
from relvan.web.sentence import Chip, Choice, Sentence, read_sentence

router = APIRouter(prefix="/listings/coverage")
PAGE = 50
WAYS = (
    ("not", "not on {}"), ("on", "on {}"), ("selling", "selling on {}"), ("draft", "with gaps on {}"),
    ("ready", "ready for {}"), ("behind", "behind on {}"), ("refused", "refused by {}"), ("down", "down on {}"),
)  # fmt: skip


def _sentence(session: Any, query: Mapping[str, str], named: list[tuple[str, str]]) -> Sentence:
    chips = (
        Chip("stock", "Stock", (Choice("yes", "with stock"), Choice("no", "without stock"))),
        *(
            Chip(f"at_{key}", name, tuple(Choice(way, words.format(name)) for way, words in WAYS))
            for key, name in named
        ),
        Chip("category", "Category", tuple(Choice(name, f"in {name}") for name in category_paths(session))),
    )
    return read_sentence("Coverage of products", "/listings/coverage", chips, query, hint="SKU, title, GTIN or alias")


def _filter(sentence: Sentence) -> CoverageFilter:
    chosen = sentence.chosen
    at = {key.removeprefix("at_"): way for key, way in chosen.items() if key.startswith("at_") and way}
    stock = {"yes": True, "no": False}.get(chosen.get("stock", ""))
    return CoverageFilter(sentence.words, chosen.get("category", ""), stock, at)


@router.get("", name="coverage_index")
def coverage_index(desk: At, after: str = "") -> HTMLResponse:
    """The grid."""
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        sentence = _sentence(session, desk.request.query_params, named)
        wanted = _filter(sentence)
        rows = coverage_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_coverage(session, wanted)
        counts = counts_by_channel(session)
    values: dict[str, Any] = {
        "sentence": sentence,
        "rows": rows[:PAGE],
        "named": named,
        "counts_at": counts,
        "total": total,
        "more": sentence.url(after=rows[PAGE - 1].sku.casefold()) if len(rows) > PAGE else "",
        "first": sentence.url() if after else "",
    }
    return desk.page(
        "coverage/index.html",
        "listings",
        count_view=lambda s, q: count_coverage(s, _filter(_sentence(s, q, named))),
        **values,
    )


@router.get("/{family_id:int}", name="coverage_family")
def coverage_family(desk: At, family_id: int) -> HTMLResponse:
    """The variants of a family, when it is unfolded."""
    with desk.workplace.database.reading() as session:
        rows, named = coverage_of_variants(session, family_id), channel_names(session)
    return desk.fragment("coverage/_variants.html", rows=rows, named=named)
