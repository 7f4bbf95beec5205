"""Queries over what is picked from which bins."""

from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from relvan.core.picking.heat import BinHeat
from relvan.store.tables import Bin, BinBalance, Pick, PickList, Product


def bin_heat(session: Session, warehouse_id: int, since: datetime) -> list[BinHeat]:
    """Returns the open bins of a warehouse in the order of the walk, with the picks from each since a
    moment and the SKU that lies in it, if it is just one."""
    picked = (
        select(Pick.bin_id, func.count().label("picks"))
        .join(PickList, PickList.id == Pick.pick_list_id)
        .where(PickList.warehouse_id == warehouse_id, Pick.picked > 0, Pick.picked_at >= since)
        .group_by(Pick.bin_id)
        .subquery()
    )
    lying = (
        select(
            BinBalance.bin_id,
            func.count().label("products"),
            func.min(BinBalance.product_id).label("product_id"),
        )
        .join(Bin, Bin.id == BinBalance.bin_id)
        .where(Bin.warehouse_id == warehouse_id, BinBalance.on_hand > 0)
        .group_by(BinBalance.bin_id)
        .subquery()
    )
    rows = session.execute(
        select(Bin.code, func.coalesce(picked.c.picks, 0), lying.c.products, Product.sku)
        .outerjoin(picked, picked.c.bin_id == Bin.id)
        .outerjoin(lying, lying.c.bin_id == Bin.id)
        .outerjoin(Product, Product.id == lying.c.product_id)
        .where(Bin.warehouse_id == warehouse_id, Bin.closed.is_(False))
        .order_by(Bin.walk, Bin.code)
    )
    return [
        BinHeat(code, picks, sku if products == 1 and sku else "")
        for code, picks, products, sku in rows
    ]
