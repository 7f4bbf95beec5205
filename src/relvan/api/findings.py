"""Serves listings found on channels, over HTTP: reading them in and linking them to products."""

from typing import Any

from relvan.api.desk import By, Cursor, Limit, YesOrNo, api_router, page_of
from relvan.api.jobs import job_shape
from relvan.api.listing_shapes import FindingLink, FindingsWish
from relvan.api.shapes import amount_of
from relvan.core.listings.reading import ReadingFilter
from relvan.services.listings.findings import read_findings
from relvan.services.listings.linking import link_finding, products_from_findings, unlink_finding
from relvan.services.verdicts import refuse_with
from relvan.store.findings import FindingFilter, FindingRow, finding_page

router = api_router(tags=["findings"])


def _finding_shape(row: FindingRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "channel": row.channel_key,
        "ref": row.ref,
        "sku": row.sku,
        "gtin": row.gtin or None,
        "title": row.title,
        "brand": row.brand,
        "price": amount_of(row.price, row.currency),
        "quantity": row.quantity,
        "live": row.live,
        "centre": row.centre,
        "head": row.head or None,
        "listing": row.listing_id,
        "linked_by": row.linked_by or None,
        "product": {"sku": row.product_sku, "likeness": row.likeness, "reasons": row.reasons}
        if row.product_sku
        else None,
    }


@router.post("/channels/{channel}/findings/read", status_code=202)
def post_read(by: By, channel: str, wish: FindingsWish | None = None) -> dict[str, Any]:
    """Reads the listings of a channel in and answers with a bulk job. Nothing on the channel
    changes.
    """
    told = wish or FindingsWish()
    wanted = ReadingFilter(told.words, told.shown, told.centre)
    return job_shape(by, read_findings(by.workplace, by.actor, channel, wanted))


@router.get("/findings")
def list_findings(
    by: By,
    channel: str = "",
    linked: YesOrNo = None,
    q: str = "",
    limit: Limit = 50,
    after: Cursor = 0,
) -> dict[str, Any]:
    """Returns the listings that were found, linked and unlinked ones alike unless one kind is asked
    for.
    """
    with by.workplace.database.reading() as session:
        wanted = FindingFilter(channel, linked, q)
        rows, following = page_of(
            finding_page(session, wanted, after=after, limit=limit + 1), limit, lambda row: row.id
        )
    return {"items": [_finding_shape(row) for row in rows], "next": following}


@router.post("/findings/{finding_id}/link")
def post_link(by: By, finding_id: int, wish: FindingLink) -> dict[str, Any]:
    """Links a found listing to a product."""
    return {"listing": link_finding(by.workplace, by.actor, finding_id, wish.sku)}


@router.post("/findings/{finding_id}/unlink")
def post_unlink(by: By, finding_id: int) -> dict[str, Any]:
    """Undoes a link."""
    unlink_finding(by.workplace, by.actor, finding_id)
    return {"listing": None}


@router.post("/findings/{finding_id}/create-product", status_code=201)
def post_create(by: By, finding_id: int) -> dict[str, Any]:
    """Creates a product (or the family to which it belongs) from a found listing, and links it."""
    (verdict,) = products_from_findings(by.workplace, by.actor, [finding_id])
    refuse_with(verdict)
    with by.workplace.database.reading() as session:
        row = finding_page(session, FindingFilter(linked=None), after=finding_id - 1, limit=1)[0]
    return _finding_shape(row)
