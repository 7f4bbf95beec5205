"""Queries over picks: which are open for a shipment or a pick list, and what was taken."""

from collections.abc import Collection

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from relvan.core.shipping.life import PickListState, ShipmentState
from relvan.store.among import among
from relvan.store.tables import (
    Bin,
    BinBalance,
    Channel,
    Order,
    Pick,
    PickList,
    Shipment,
    ShipmentLine,
    Warehouse,
)


def open_picks(session: Session, shipment_id: int) -> list[Pick]:
    """Returns the picks of a shipment that are not recorded yet."""
    statement = select(Pick).join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
    return list(
        session.scalars(
            statement.where(ShipmentLine.shipment_id == shipment_id, Pick.picked.is_(None))
        )
    )


def units_taken(session: Session, shipment_ids: Collection[int]) -> list[tuple[int, int, int, int]]:
    """Returns what the picks of shipments took out of bins as (shipment, product, bin, units), in the
    order of the picks."""
    columns = (ShipmentLine.shipment_id, Pick.product_id, Pick.bin_id, Pick.picked)
    picks = select(*columns).join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
    taken = (
        among(ShipmentLine.shipment_id, shipment_ids),
        Pick.picked > 0,
        Pick.bin_id.is_not(None),
    )
    rows = session.execute(picks.where(*taken).order_by(Pick.id))
    return [
        (shipment_id, product_id, bin_id or 0, units or 0)
        for shipment_id, product_id, bin_id, units in rows
    ]


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


def picks_of(session: Session, pick_list_id: int) -> list[Pick]:
    """Returns the picks of a pick list in their order."""
    wanted = select(Pick).where(Pick.pick_list_id == pick_list_id).order_by(Pick.position)
    return list(session.scalars(wanted))


def done_picks_of(session: Session, shipment_line_id: int) -> list[Pick]:
    """Returns the picks by which units of a line of a shipment were taken, the last first."""
    wanted = select(Pick).where(Pick.shipment_line_id == shipment_line_id, Pick.picked > 0)
    return list(session.scalars(wanted.order_by(Pick.id.desc())))


def shipments_with_picks(session: Session, pick_list_id: int) -> list[int]:
    """Returns the ids of the shipments that have a pick on a pick list."""
    wanted = (
        select(ShipmentLine.shipment_id)
        .join(Pick, Pick.shipment_line_id == ShipmentLine.id)
        .where(Pick.pick_list_id == pick_list_id)
        .distinct()
    )
    return sorted(session.scalars(wanted))


def shipments_to_pick(
    session: Session,
    *,
    warehouse: str = "",
    channel: str = "",
    promised_by: str = "",
    single_line: bool = False,
    limit: int = 60,
) -> list[int]:
    """Returns shipments that wait to be picked and whose orders stand, those promised first before the
    others, then the oldest. `warehouse` and `channel` are keys, `promised_by` a day (ISO 8601)."""
    lines = (
        select(func.count())
        .where(ShipmentLine.shipment_id == Shipment.id, ShipmentLine.quantity > 0)
        .scalar_subquery()
    )
    wanted = (
        select(Shipment.id)
        .join(Order, Order.id == Shipment.order_id)
        .join(Warehouse, Warehouse.id == Shipment.warehouse_id)
        .outerjoin(Channel, Channel.id == Order.channel_id)
        .where(Shipment.state == ShipmentState.TO_PICK, Order.cancelled_at.is_(None), lines > 0)
        .order_by(Order.promised_on.is_(None), Order.promised_on, Shipment.id)
        .limit(limit)
    )
    if warehouse:
        wanted = wanted.where(Warehouse.key == warehouse)
    if channel:
        wanted = wanted.where(Channel.key == channel)
    if promised_by:
        wanted = wanted.where(Order.promised_on <= promised_by)
    if single_line:
        wanted = wanted.where(lines == 1)
    return list(session.scalars(wanted))


def shipments_in_order(session: Session, pick_list_id: int) -> list[int]:
    """Returns the ids of the shipments of a pick list in the order in which it comes to them."""
    wanted = (
        select(ShipmentLine.shipment_id)
        .join(Pick, Pick.shipment_line_id == ShipmentLine.id)
        .where(Pick.pick_list_id == pick_list_id)
        .group_by(ShipmentLine.shipment_id)
        .order_by(func.min(Pick.position))
    )
    return list(session.scalars(wanted))


def picks_instead_of(session: Session, pick_id: int) -> list[Pick]:
    """Returns the picks in other bins that a short pick has led to."""
    return list(session.scalars(select(Pick).where(Pick.instead_of == pick_id)))


def drop_picks(session: Session, pick_ids: Collection[int]) -> None:
    """Deletes picks that were not done."""
    session.execute(delete(Pick).where(Pick.id.in_(pick_ids), Pick.picked.is_(None)))


def last_pick_position(session: Session, pick_list_id: int) -> int:
    """Returns the position of the last pick of a list."""
    last = select(func.max(Pick.position)).where(Pick.pick_list_id == pick_list_id)
    return session.scalar(last) or 0


def short_picks(session: Session, pick_list_id: int) -> list[int]:
    """Returns the ids of the picks of a list at which fewer units were found than asked."""
    wanted = select(Pick.id).where(Pick.pick_list_id == pick_list_id, Pick.picked < Pick.quantity)
    return list(session.scalars(wanted.order_by(Pick.position)))


def promised_days(
    session: Session, shipment_ids: Collection[int]
) -> dict[int, tuple[int, str | None]]:
    """Returns (warehouse, promised day) of shipments."""
    wanted = (
        select(Shipment.id, Shipment.warehouse_id, Order.promised_on)
        .join(Order, Order.id == Shipment.order_id)
        .where(among(Shipment.id, shipment_ids))
    )
    return {one: (place, day) for one, place, day in session.execute(wanted)}


def bins_of_shipments(session: Session, shipment_ids: Collection[int]) -> dict[int, list[set[str]]]:
    """Returns for each shipment the codes of the bins of its warehouse that have each of its products."""
    rows = session.execute(
        select(ShipmentLine.shipment_id, ShipmentLine.product_id, Bin.code)
        .join(Shipment, Shipment.id == ShipmentLine.shipment_id)
        .outerjoin(
            BinBalance,
            (BinBalance.product_id == ShipmentLine.product_id)
            & (BinBalance.on_hand > BinBalance.blocked),
        )
        .outerjoin(Bin, (Bin.id == BinBalance.bin_id) & (Bin.warehouse_id == Shipment.warehouse_id))
        .where(among(ShipmentLine.shipment_id, shipment_ids), ShipmentLine.quantity > 0)
    )
    found: dict[int, dict[int, set[str]]] = {one: {} for one in shipment_ids}
    for shipment_id, product_id, code in rows:
        codes = found[shipment_id].setdefault(product_id, set())
        if code is not None:
            codes.add(code)
    return {one: [*by_product.values()] for one, by_product in found.items()}
