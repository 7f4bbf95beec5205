"""Stock policies nearer than the channel's: for a category, a product, a listing."""

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.stock.availability import check_policy, policy_data, policy_from
from relvan.core.stock.nearest import category_key
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.listings.later import refresh_soon
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.channels import channel_by_key
from relvan.store.listings import listing_by_id
from relvan.store.policies import listings_under, place_of_policy
from relvan.store.tables import Category, NearerPolicy

PLACES = ("category", "product", "listing")


def set_policy(
    workplace: Workplace, actor: Actor, channel: str, kind: str, of: str, policy: Mapping[str, Any] | None
) -> bool:
    """Set the stock policy of a `category` (path), a `product` (SKU) or a `listing` (id) on a channel, or with none
    take it away, so that the next nearest holds again. Whether anything differs."""
    actor.must(Right.STOCK)
    wanted = None
    if policy is not None:
        given = policy_from(policy)
        refuse_if_any(check_policy(given))
        wanted = policy_data(given)
    with workplace.database.writing() as session:
        found = channel_by_key(session, channel)
        place = _place(session, found.id, kind, of)
        row = place_of_policy(session, found.id, place)
        before = row.policy if row else None
        if before == wanted:
            return False
        if wanted is None:
            session.delete(row)
        elif row is not None:
            row.policy = wanted
        else:
            session.add(NearerPolicy(channel_id=found.id, policy=wanted, **place))
        session.flush()
        changes = {f"stock policy of {kind} {of}": (before, wanted)}
        audit.record(session, actor, workplace.now(), "channel", found.id, "changed", changes)
        title = f"Work out {found.name} after another stock policy"
        refresh_soon(session, workplace, actor, title, listing_ids=listings_under(session, found.id, place))
    workplace.wake(Work.DELIVER, found.id)
    return True


def _place(session: Session, channel_id: int, kind: str, of: str) -> dict[str, Any]:
    if kind == "category":
        key = category_key(of.strip())
        if session.scalar(select(Category.id).where(Category.path_key == key)) is None:
            raise not_found("category", of)
        return {"category": key}
    if kind == "product":
        return {"product_id": find_product(session, of).id}
    if kind == "listing":
        if not of.isascii() or not of.isdigit():
            raise not_found("listing", of)
        listing = listing_by_id(session, int(of))
        if listing.channel_id != channel_id:
            raise refuse("not-found", f"The listing {of} is on another channel.", "Look at the list again.", "of")
        return {"listing_id": listing.id}
    raise refuse("not-allowed", f"A stock policy is for one of {', '.join(PLACES)}.", "Choose one of them.", "kind")
