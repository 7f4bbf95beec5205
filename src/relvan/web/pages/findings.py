"""Serves the pages of listings found on channels: reading them in, linking them, creating products
from them, and undoing links.
"""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.listings.reading import ReadingFilter
from relvan.core.refusal import refuse
from relvan.services.listings.findings import read_findings
from relvan.services.listings.linking import link_findings, products_from_findings, unlink_finding
from relvan.store.channels import channel_names
from relvan.store.counting import count_with_page
from relvan.store.findings import FindingFilter, count_findings, finding_page
from relvan.web.desk import At, Form
from relvan.web.pages.listings import public_address
from relvan.web.sentence import Chip, Choice, ListKind, Sentence, read_sentence

router = APIRouter(prefix="/listings/findings")
PAGE = 50
BACK = "/listings/findings"


def _findings_sentence(session: Any, query: Mapping[str, str]) -> Sentence:
    chips = (
        Chip(
            "channel",
            "Channel",
            tuple(Choice(key, f"on {name}") for key, name in channel_names(session)),
        ),
        Chip("linked", "Linked", (Choice("yes", "that are linked already"),)),
    )
    return read_sentence(
        ListKind("Listings found on channels", BACK, hint="Title or SKU there"), chips, query
    )


def _findings_filter(sentence: Sentence) -> FindingFilter:
    chosen = sentence.chosen
    return FindingFilter(chosen.get("channel", ""), chosen.get("linked") == "yes", sentence.words)


@router.get("", name="finding_index")
def finding_index(desk: At, after: int = 0) -> HTMLResponse:
    """Shows the unlinked listings, or the linked ones."""
    with desk.workplace.database.reading() as session:
        sentence = _findings_sentence(session, desk.request.query_params)
        wanted = _findings_filter(sentence)
        rows = finding_page(session, wanted, after=after, limit=PAGE + 1)
        total = count_with_page(rows, PAGE, after, lambda: count_findings(session, wanted))
        named = channel_names(session)
    return desk.page(
        "findings/index.html",
        "listings",
        sentence=sentence,
        rows=rows[:PAGE],
        total=total,
        named=named,
        linked=wanted.linked,
        address=public_address,
        more=sentence.url(after=str(rows[PAGE - 1].id)) if len(rows) > PAGE else "",
        first=sentence.url() if after else "",
        count_view=lambda s, q: count_findings(s, _findings_filter(_findings_sentence(s, q))),
    )


@router.post("/read", name="finding_read")
def finding_read(desk: At, form: Form) -> Response:
    """Reads a channel's listings in, in the background."""
    channel = form.get("channel", "")
    shown = form.get("shown", "")
    wanted = ReadingFilter(
        form.get("words", ""),
        shown,  # type: ignore[arg-type]  # the service refuses what it does not know
        form.get("centre") == "yes",
    )
    read_findings(desk.workplace, desk.actor, channel, wanted)
    return desk.done(
        f"{BACK}?channel={channel}", "It is being read. Nothing there changes by that."
    )


@router.post("/link", name="finding_link")
def finding_link(desk: At, form: Form) -> Response:
    """Links the ticked listings, each to the product beside it."""
    pairs = [
        (finding_id, form.get(f"sku_{finding_id}", "").strip()) for finding_id in form.ids("pick")
    ]
    wanted = [(finding_id, sku) for finding_id, sku in pairs if sku]
    if not wanted:
        raise refuse(
            "missing",
            "None of the ticked listings has a product beside it.",
            "Type its SKU.",
            "pick",
        )
    return desk.verdicts(BACK, link_findings(desk.workplace, desk.actor, wanted), "Linked")


@router.post("/products", name="finding_products")
def finding_products(desk: At, form: Form) -> Response:
    """Creates products from the ticked listings."""
    verdicts = products_from_findings(desk.workplace, desk.actor, form.ids("pick"))
    return desk.verdicts(BACK, verdicts, "Made into products")


@router.post("/unlink", name="finding_unlink")
def finding_unlink(desk: At, form: Form) -> Response:
    """Undoes the links of the ticked listings."""
    ids = form.ids("pick")
    for finding_id in ids:
        unlink_finding(desk.workplace, desk.actor, finding_id)
    return desk.done(
        BACK,
        f"{len(ids)} {'link' if len(ids) == 1 else 'links'} undone. Nothing changed on the channel.",
    )
