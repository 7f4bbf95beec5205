"""Reads the current plain facts of many products; see `core.catalogue.plain`."""

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.plain import Standing
from relvan.store.among import among
from relvan.store.facts import FLAGS, TEXTS
from relvan.store.tables import ListPrice, Product, SkuName

_PRODUCT = Product.__table__.c
_NAME = SkuName.__table__.c
_PRICE = ListPrice.__table__.c


def standing(
    session: Session, keys: Collection[str], names: Sequence[str], lists: Mapping[str, int]
) -> dict[str, Standing]:
    """Returns the current values of these facts, by the keys of the products' SKUs and aliases; one
    query. `lists` are the ids of price lists by key.
    """
    values = [_value(name, lists) for name in names]
    named = _NAME.alias.is_(False)
    found = (
        select(
            _NAME.key, _PRODUCT.id, named & _PRODUCT.archived_at.is_(None), _PRODUCT.kind, *values
        )
        .select_from(SkuName.__table__.join(Product.__table__, _PRODUCT.id == _NAME.product_id))
        .where(among(_NAME.key, keys))
    )
    rows = session.connection().execute(found).all()
    if flags := {place for place, name in enumerate(names) if name in FLAGS}:
        return {
            key: Standing(product_id, bool(named), kind, _with_flags(values, flags))
            for key, product_id, named, kind, *values in rows
        }
    return {row[0]: Standing(row[1], bool(row[2]), row[3], row[4:]) for row in rows}


def _with_flags(values: Sequence[Any], flags: Collection[int]) -> tuple[Any, ...]:
    return tuple(v and place in flags or v for place, v in enumerate(values))


def _value(name: str, lists: Mapping[str, int]) -> Any:
    """Returns the query's expression for a fact, in which an empty value is never NULL."""
    if Keyed.PRICE.has(name):
        which = (_PRICE.price_list_id == lists[Keyed.PRICE.key(name)]) & (
            _PRICE.product_id == _PRODUCT.id
        )
        return select(_PRICE.amount).where(which).scalar_subquery()
    if name in FLAGS:
        return func.nullif(_PRODUCT[name], False)
    return func.nullif(_PRODUCT[name], "") if name in TEXTS else _PRODUCT[name]


def any_alias(session: Session) -> bool:
    """Says whether there is an alias at all."""
    return session.scalar(select(_NAME.key).where(_NAME.alias.is_(True)).limit(1)) is not None


def aliases_among(session: Session, keys: Collection[str]) -> dict[str, str]:
    """Returns the keys of products' own SKUs by those of these keys that are aliases."""
    found = select(_NAME.key, _PRODUCT.sku_key).join_from(SkuName.__table__, Product.__table__)
    return dict(session.execute(found.where(_NAME.alias.is_(True), among(_NAME.key, keys))).all())


def ids_by_key(session: Session, keys: Sequence[str]) -> list[int]:
    """Returns the ids of existing products, in the order of these keys of their own SKUs."""
    wanted = select(_PRODUCT.sku_key, _PRODUCT.id).where(among(_PRODUCT.sku_key, keys))
    found: dict[str, int] = dict(session.connection().execute(wanted).all())
    return [found[key] for key in keys]
