"""Queries over pictures and the products that show them."""

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.portable import insert_into
from relvan.store.tables import Picture, ProductPicture


def insert_picture(session: Session, values: Mapping[str, Any]) -> None:
    """Adds what is known of a picture, unless the picture is there already."""
    session.execute(insert_into(session, Picture).values(**values).on_conflict_do_nothing())


def known_pictures(session: Session, hashes: Collection[str]) -> set[str]:
    """Returns those of some SHA-256 hashes that belong to a saved picture."""
    return set(session.scalars(select(Picture.sha).where(among(Picture.sha, hashes))))


def pictures_on(session: Session, product_id: int) -> list[ProductPicture]:
    """Returns the uses of pictures by a product, in their order."""
    statement = select(ProductPicture).where(ProductPicture.product_id == product_id)
    return list(session.scalars(statement.order_by(ProductPicture.position)))


def replace_pictures(session: Session, product_id: int, rows: Sequence[Mapping[str, Any]]) -> None:
    """Replaces the uses of pictures by a product."""
    session.execute(delete(ProductPicture).where(ProductPicture.product_id == product_id))
    if rows:
        session.execute(insert(ProductPicture), rows)
