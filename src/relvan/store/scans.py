"""Queries over what phones have scanned, and what a phone must know of a pick list."""

from collections.abc import Collection, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.store.among import among
from relvan.store.tables import Pick, ScanEvent, SkuName


def known_scans(session: Session, keys: Collection[str]) -> dict[str, str]:
    """Returns what was answered to scans that were taken before, by their keys."""
    wanted = select(ScanEvent.key, ScanEvent.said).where(among(ScanEvent.key, list(keys)))
    return dict(session.execute(wanted).all())


def note_scan(session: Session, values: Mapping[str, Any]) -> None:
    """Keeps a scan; one that another call has kept meanwhile stays."""
    if session.get(ScanEvent, values["key"]) is None:
        session.add(ScanEvent(**values))


def aliases_on_list(session: Session, pick_list_id: int) -> dict[int, list[str]]:
    """Returns the aliases of the products of a pick list, by pick."""
    rows = session.execute(
        select(Pick.id, SkuName.sku)
        .join(SkuName, SkuName.product_id == Pick.product_id)
        .where(Pick.pick_list_id == pick_list_id, SkuName.alias.is_(True))
    )
    found: dict[int, list[str]] = {}
    for pick_id, sku in rows:
        found.setdefault(pick_id, []).append(sku)
    return found
