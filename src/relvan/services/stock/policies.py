"""Exceptions from a channel's stock rule: for a category, a product or a listing."""

from collections.abc import Mapping
from typing import Any

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.core.stock.availability import check_policy, policy_data, policy_from
from relvan.core.stock.nearest import category_key
from relvan.core.waking import Work
from relvan.services import audit
from relvan.services.changes import Concern, changes_of
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.categories import is_category
from relvan.store.channels import channel_by_key
from relvan.store.listings import listing_by_id
from relvan.store.policies import listings_under, place_of_policy
from relvan.store.session import Session
from relvan.store.tables import NearerPolicy

PLACES = ("category", "product", "listing")


def set_policy(
    workplace: Workplace,
    actor: Actor,
    channel: str,
    kind: str,
    of: str,
    policy: Mapping[str, Any] | None,
) -> bool:
    """Sets the stock rule of a `category` (path), a `product` (SKU) or a `listing` (id) on a
    channel; None deletes it, so that the next nearest rule holds again. Returns whether anything
    differs."""
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
        changes = {f"stock rule of {kind} {of}": (before, wanted)}
        audit.record(
            session, actor, workplace.now(), audit.Subject("channel", found.id), "changed", changes
        )
        title = f"Work out {found.name} after another stock rule"
        concerned = tuple(listings_under(session, found.id, place))
        changes_of(session).settings_changed(Concern(actor, title, listing_ids=concerned))
    workplace.wake(Work.DELIVER, found.id)
    return True


def _place(session: Session, channel_id: int, kind: str, of: str) -> dict[str, Any]:
    if kind == "category":
        key = category_key(of.strip())
        if not is_category(session, key):
            raise not_found("category", of)
        return {"category": key}
    if kind == "product":
        return {"product_id": find_product(session, of).id}
    if kind == "listing":
        if not of.isascii() or not of.isdigit():
            raise not_found("listing", of)
        listing = listing_by_id(session, int(of))
        if listing.channel_id != channel_id:
            raise refuse(
                "not-found",
                f"The listing {of} is on another channel.",
                "Look at the list again.",
                "of",
            )
        return {"listing_id": listing.id}
    raise refuse(
        "not-allowed",
        f"A stock rule is for one of {', '.join(PLACES)}.",
        "Choose one of them.",
        "kind",
    )
