"""Serves the pages of coverage: products by channels as a grid of gauges with families folded, from
which products are drafted on several channels at once.
"""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from relvan.store.channels import channel_names
from relvan.store.counting import count_with_page
from relvan.store.coverage import (
    count_coverage,
    counts_by_channel,
    coverage_of_variants,
    coverage_page,
)
from relvan.web.coverage_sentence import coverage_filter, coverage_sentence
from relvan.web.desk import At

router = APIRouter(prefix="/listings/coverage")
PAGE = 50


@router.get("", name="coverage_index")
def coverage_index(desk: At, after: str = "") -> HTMLResponse:
    """Shows the grid."""
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        sentence = coverage_sentence(session, desk.request.query_params, named)
        wanted = coverage_filter(sentence)
        rows = coverage_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_with_page(rows, PAGE, after, lambda: count_coverage(session, wanted))
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
        count_view=lambda s, q: count_coverage(s, coverage_filter(coverage_sentence(s, q, named))),
        **values,
    )


@router.get("/{family_id:int}", name="coverage_family")
def coverage_family(desk: At, family_id: int) -> HTMLResponse:
    """Shows the variants of a family when it is unfolded."""
    with desk.workplace.database.reading() as session:
        rows, named = coverage_of_variants(session, family_id), channel_names(session)
    return desk.fragment("coverage/_variants.html", rows=rows, named=named)
