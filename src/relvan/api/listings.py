"""Serves listings over HTTP."""

from dataclasses import asdict
from typing import Annotated, Any

from relvan.api.desk import By, Caller, Cursor, Limit, OneOf, api_router, page_of
from relvan.api.jobs import job_shape
from relvan.api.listing_shapes import Publishing, Requirement
from relvan.api.shapes import Ids, ListingChange, NewListings, amount_of
from relvan.core.listings.cascade import FieldValue
from relvan.core.listings.state import ListingState
from relvan.services.listings.draft import change_listings, draft_listings, require_members
from relvan.services.listings.publish import publish_listings, put_back_listings, take_down_listings
from relvan.services.listings.view import view_listing
from relvan.store.catalogue import product_by_id
from relvan.store.channels import channel_by_id
from relvan.store.listing_list import ListingFilter, listing_page
from relvan.store.listings import listing_by_id

router = api_router(tags=["listings"])


def _listing_shape(by: Caller, listing_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        listing = listing_by_id(session, listing_id)
        view = view_listing(session, by.workplace, listing)
        found = view.found
        channel = channel_by_id(session, listing.channel_id)
        currency = by.workplace.rulebook(channel).currency
        margin = amount_of(view.margin.amount if view.margin else None, currency)
        why_margin = view.margin.why.as_dicts() if view.margin else []
        return {
            "id": listing.id,
            "channel": channel.key,
            "sku": product_by_id(session, listing.product_id).sku,
            "state": listing.state,
            "ref": listing.ref or None,
            "fields": {name: _field(value) for name, value in found.fields.items()},
            "gaps": [
                {name: gap[name] for name in ("field", "kind", "message", "mend")}
                for gap in listing.gaps
            ],
            "outdated": listing.outdated.split(),
            "behind": listing.outdated.split(),  # the same, for one version
            "price": amount_of(listing.price, currency),
            "quantity": listing.quantity,
            "followed": listing.followed,
            "head": listing.head_id,
            "members": [row.id for row in view.family if not row.is_head]
            if listing.is_head
            else [],
            "traits": {
                trait.ours: {"value": trait.our_value, "there": trait.theirs, "said": trait.value}
                for trait in found.place.traits
            },
            "differences": [asdict(one) for one in view.differences],
            "fees": amount_of(view.margin.fees.total if view.margin else None, currency),
            "margin": margin,
            "why_margin": why_margin,
            "left": margin,  # the names of version 0.1, kept for one version
            "why_left": why_margin,
        }


def _field(value: FieldValue) -> dict[str, Any]:
    told: dict[str, Any] = {"value": value.value, "source": value.source}
    return {**told, "layer": value.layer} if value.layer_id else told


@router.post("/listings/require")
def post_require(by: By, wish: Requirement) -> dict[str, Any]:
    """Sets for members of families' pages whether the family needs them to go live."""
    require_members(by.workplace, by.actor, wish.ids, must=wish.must)
    return {"listings": len(set(wish.ids))}


@router.get("/listings")
def list_listings(
    by: By,
    channel: str = "",
    state: Annotated[str, OneOf("state", tuple(ListingState))] = "",
    q: str = "",
    limit: Limit = 50,
    after: Cursor = 0,
) -> dict[str, Any]:
    """Returns listings, the newest first."""
    with by.workplace.database.reading() as session:
        wanted = ListingFilter(words=q, channel=channel, state=state)
        rows, following = page_of(
            listing_page(session, wanted, after=after, limit=limit + 1), limit, lambda row: row.id
        )
    items = [
        {
            "id": row.id,
            "channel": row.channel_key,
            "sku": row.sku,
            "state": row.state,
            "ref": row.ref or None,
            "gap_count": row.gap_count,
            "outdated": row.outdated.split(),
            "behind": row.outdated.split(),  # the same, for one version
            "price": amount_of(row.price, row.currency),
            "quantity": row.quantity,
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.post("/listings", status_code=201)
def post_listings(by: By, wish: NewListings) -> dict[str, Any]:
    """Drafts listings of products on a channel and returns a verdict for each SKU."""
    drafted = draft_listings(by.workplace, by.actor, wish.channel, wish.skus)
    ids = iter(drafted.listing_ids)
    items = [
        {
            "sku": v.subject,
            "ok": v.ok,
            "id": next(ids) if v.ok else None,
            "code": v.code,
            "message": v.message,
        }
        for v in drafted.verdicts
    ]
    return {"items": items, "next": None}


@router.post("/listings/publish", status_code=202)
def post_publish(by: By, wish: Publishing) -> dict[str, Any]:
    """Publishes listings, families with all their variants, and answers with a bulk job."""
    return job_shape(
        by, publish_listings(by.workplace, by.actor, wish.ids, leave_out=wish.leave_out)
    )


@router.post("/listings/take-down", status_code=202)
def post_take_down(by: By, wish: Ids) -> dict[str, Any]:
    """Takes listings down and answers with a bulk job."""
    return job_shape(by, take_down_listings(by.workplace, by.actor, wish.ids))


@router.post("/listings/put-back", status_code=202)
def post_put_back(by: By, wish: Ids) -> dict[str, Any]:
    """Puts listings back and answers with a bulk job."""
    return job_shape(by, put_back_listings(by.workplace, by.actor, wish.ids))


@router.get("/listings/{listing_id}")
def get_listing(by: By, listing_id: int) -> dict[str, Any]:
    """Returns one listing with its fields, their sources, and its gaps."""
    return _listing_shape(by, listing_id)


@router.patch("/listings/{listing_id}")
def patch_listing(by: By, listing_id: int, change: ListingChange) -> dict[str, Any]:
    """Changes the values that a listing has itself."""
    change_listings(by.workplace, by.actor, [listing_id], change.fields)
    return _listing_shape(by, listing_id)
