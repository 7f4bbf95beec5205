"""Reads and saves of listings what keeps their quantities in step, without the object layer."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Any

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.built import bare_rows, built_once
from relvan.store.bulk import read_anew, update_columns
from relvan.store.kits import with_kits_above
from relvan.store.tables import Listing, Product


@dataclass
class ListingInStep:
    """The columns of a listing from which its state and the updates of its price and quantity are
    worked out, and of its product whether it is a kit; the tables say what they are. Heads of
    families' pages have no quantity and are left out."""

    id: int
    channel_id: int
    product_id: int
    wish: str
    placed: bool
    shown: bool
    gone: str
    followed: bool
    paused: bool
    refusal: list[Any]
    state: str
    outdated: str
    gap_count: int
    price: int | None
    regular: int | None
    quantity: int
    held_content: str
    held_pictures: str
    sent_content: str
    sent_pictures: str
    sent_price: int | None
    sent_regular: int | None
    sent_quantity: int | None
    kind: str
    parts_apart: bool


OF_PRODUCT = ("kind", "parts_apart")
_FIELDS = select(
    *(
        getattr(Product if field.name in OF_PRODUCT else Listing, field.name)
        for field in fields(ListingInStep)
    )
).join(Product, Product.id == Listing.product_id)
SAVED = ("quantity", "paused", "state", "outdated")


def in_step_of_products(session: Session, product_ids: Collection[int]) -> list[ListingInStep]:
    """Returns the listings of products and of all kits that contain one of them, also through kits
    within kits, by id."""
    return [ListingInStep(*row) for row in bare_rows(session, *_of_products(product_ids))]


def in_step_by_id(session: Session, listing_ids: Collection[int]) -> list[ListingInStep]:
    """Returns listings by their ids."""
    return [ListingInStep(*row) for row in bare_rows(session, *_with_ids(listing_ids))]


@built_once
def _of_products(product_ids: Collection[int]) -> Select[*tuple[Any, ...]]:
    found = with_kits_above(product_ids)
    wanted = (Listing.product_id.in_(select(found.c.id)), Listing.is_head.is_(False))
    return _FIELDS.where(*wanted).order_by(Listing.id)


@built_once
def _with_ids(listing_ids: Collection[int]) -> Select[*tuple[Any, ...]]:
    wanted = (among(Listing.id, listing_ids), Listing.is_head.is_(False))
    return _FIELDS.where(*wanted).order_by(Listing.id)


def save_in_step(session: Session, listings: Sequence[ListingInStep]) -> None:
    """Saves the quantity, the pause and the state of listings."""
    columns = {name: [getattr(one, name) for one in listings] for name in SAVED}
    columns["behind"] = columns.pop("outdated")  # as the column is named in the table
    _save(session, columns, listings)


def save_quantities(session: Session, listings: Sequence[ListingInStep]) -> None:
    """Saves the quantity of listings whose state has stayed as it was: no index holds it, so that this
    costs much less than saving the state too."""
    _save(session, {"quantity": [one.quantity for one in listings]}, listings)


def _save(
    session: Session, columns: Mapping[str, Sequence[Any]], listings: Sequence[ListingInStep]
) -> None:
    ids = [one.id for one in listings]
    update_columns(session, Listing, columns, ids)
    read_anew(session, Listing, ids)
