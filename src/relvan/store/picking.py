"""Queries over picks: which are open for a shipment or a pick list, and what was taken."""

from collections.abc import Collection

from sqlalchemy import select
from sqlalchemy.orm import Session

from relvan.core.shipping.life import PickListState
from relvan.store.tables import Pick, PickList, ShipmentLine


def open_picks(session: Session, shipment_id: int) -> list[Pick]:
    """Returns the picks of a shipment that are not recorded yet."""
    statement = select(Pick).join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
    return list(
        session.scalars(
            statement.where(ShipmentLine.shipment_id == shipment_id, Pick.picked.is_(None))
        )
    )


def taken_picks(session: Session, shipment_id: int) -> list[Pick]:
    """Returns the picks of a shipment that took something out of a bin, in order."""
    statement = select(Pick).join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
    taken = (ShipmentLine.shipment_id == shipment_id, Pick.picked > 0, Pick.bin_id.is_not(None))
    return list(session.scalars(statement.where(*taken).order_by(Pick.id)))


def pick_lists(session: Session, pick_list_ids: Collection[int]) -> list[PickList]:
    """Returns pick lists by their ids."""
    return list(session.scalars(select(PickList).where(PickList.id.in_(pick_list_ids))))


def open_lists_in(session: Session, warehouse_id: int) -> list[PickList]:
    """Returns the open pick lists of a warehouse."""
    open_ones = (PickList.warehouse_id == warehouse_id, PickList.state == PickListState.OPEN)
    return list(session.scalars(select(PickList).where(*open_ones).order_by(PickList.id)))


def units_picked(session: Session, pick_list_id: int) -> list[int | None]:
    """Returns the units that each pick of a pick list took, with None for open picks."""
    return list(session.scalars(select(Pick.picked).where(Pick.pick_list_id == pick_list_id)))


def has_open_picks(
    session: Session, *, shipment_id: int | None = None, pick_list_id: int | None = None
) -> bool:
    """Says whether something is still to be picked for a shipment or a pick list."""
    statement = select(Pick.id).where(Pick.picked.is_(None)).limit(1)
    if shipment_id is not None:
        statement = statement.join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        statement = statement.where(ShipmentLine.shipment_id == shipment_id)
    if pick_list_id is not None:
        statement = statement.where(Pick.pick_list_id == pick_list_id)
    return session.scalar(statement) is not None


def is_begun(session: Session, shipment_id: int) -> bool:
    """Says whether something of a shipment was picked."""
    statement = select(ShipmentLine.id).where(
        ShipmentLine.shipment_id == shipment_id, ShipmentLine.picked > 0
    )
    return session.scalar(statement.limit(1)) is not None
