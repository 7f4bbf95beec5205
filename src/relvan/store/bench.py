"""Queries of the pack bench: what a scanned code leads to, what is to be packed, and cartons."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import ScalarSelect, func, select
from sqlalchemy.orm import Session

from relvan.core.refusal import not_found
from relvan.core.shipping.life import ShipmentState
from relvan.store.among import among
from relvan.store.tables import (
    CartonRow,
    Order,
    ParcelLine,
    Pick,
    PickList,
    Product,
    ProductPicture,
    Shipment,
    ShipmentLine,
    SkuName,
)


@dataclass(frozen=True)
class BenchLine:
    """Goods of a shipment at the bench: what was picked, lies in a parcel, and was scanned for the next
    one; their codes, weight and lengths, where they are known."""

    id: int
    product_id: int
    sku: str
    gtin: str | None
    title: str
    picked: int
    packed: int
    scanned: int
    weight_g: int | None
    size_mm: tuple[int, int, int] | None
    picture: str | None
    this_way_up: bool
    fragile: bool
    aliases: tuple[str, ...] = ()

    @property
    def left(self) -> int:
        """The units that lie in no parcel yet."""
        return self.picked - self.packed


def bench_lines(session: Session, shipment_ids: Collection[int]) -> dict[int, list[BenchLine]]:
    """Returns what is to be packed of shipments, by shipment."""
    rows = session.execute(
        select(
            ShipmentLine.shipment_id,
            ShipmentLine.id,
            Product.id,
            Product.sku,
            Product.gtin,
            Product.title,
            ShipmentLine.picked,
            _packed(),
            ShipmentLine.scanned,
            Product.weight_g,
            Product.length_mm,
            Product.width_mm,
            Product.height_mm,
            _picture(),
            Product.this_way_up,
            Product.fragile,
        )
        .join(Product, Product.id == ShipmentLine.product_id)
        .where(among(ShipmentLine.shipment_id, shipment_ids), ShipmentLine.picked > 0)
        .order_by(ShipmentLine.id)
    ).all()
    aliases: dict[int, list[str]] = {}
    names = select(SkuName.product_id, SkuName.sku).where(
        among(SkuName.product_id, {row[2] for row in rows}), SkuName.alias.is_(True)
    )
    for product_id, sku in session.execute(names):
        aliases.setdefault(product_id, []).append(sku)
    found: dict[int, list[BenchLine]] = {one: [] for one in shipment_ids}
    for shipment_id, line, product, *facts in rows:
        sku, gtin, title, picked, packed, scanned, weight, *size, picture, up, fragile = facts
        found[shipment_id].append(
            BenchLine(
                line,
                product,
                sku,
                gtin,
                title,
                picked,
                packed,
                scanned,
                weight,
                (size[0], size[1], size[2]) if all(size) else None,
                picture,
                up,
                fragile,
                tuple(aliases.get(product, ())),
            )
        )
    return found


def _packed() -> ScalarSelect[int]:
    return (
        select(func.coalesce(func.sum(ParcelLine.quantity), 0))
        .where(ParcelLine.shipment_line_id == ShipmentLine.id)
        .scalar_subquery()
    )


def _picture() -> ScalarSelect[str]:
    return (
        select(ProductPicture.sha)
        .where(ProductPicture.product_id == Product.id)
        .order_by(ProductPicture.position)
        .limit(1)
        .scalar_subquery()
    )


def shipments_named(session: Session, code: str) -> list[Shipment]:
    """Returns the shipments that a code names: by their number, or by that of their order or of the
    channel's order."""
    wanted = (
        select(Shipment)
        .join(Order, Order.id == Shipment.order_id)
        .where(
            (Shipment.number == code.upper())
            | (Order.number == code)
            | (Order.channel_number == code)
        )
        .order_by(Shipment.id)
    )
    return list(session.scalars(wanted))


def pick_list_named(session: Session, code: str) -> PickList | None:
    """Returns the pick list with a number, or None."""
    return session.scalar(select(PickList).where(PickList.number == code.upper()))


def to_pack_on_list(session: Session, pick_list_id: int, tote: int | None = None) -> list[int]:
    """Returns the ids of the shipments of a pick list that are to be packed, in the order of its route;
    with `tote` the one of that tote."""
    wanted = (
        select(Shipment.id, func.min(Pick.position))
        .join(ShipmentLine, ShipmentLine.shipment_id == Shipment.id)
        .join(Pick, Pick.shipment_line_id == ShipmentLine.id)
        .where(Pick.pick_list_id == pick_list_id, Shipment.state == ShipmentState.TO_PACK)
        .group_by(Shipment.id)
        .order_by(func.min(Pick.position))
    )
    if tote is not None:
        wanted = wanted.where(Pick.tote == tote)
    return [shipment_id for shipment_id, _ in session.execute(wanted)]


def list_of_shipment(session: Session, shipment_id: int) -> int | None:
    """Returns the id of the last pick list on which a shipment stood, or None."""
    return session.scalar(
        select(func.max(Pick.pick_list_id))
        .join(ShipmentLine, ShipmentLine.id == Pick.shipment_line_id)
        .where(ShipmentLine.shipment_id == shipment_id)
    )


def gtins_of_shipment(session: Session, shipment_id: int) -> dict[str, str]:
    """Returns the GTINs of the goods of a shipment by SKU, where they have one."""
    rows = session.execute(
        select(Product.sku, Product.gtin)
        .join(ShipmentLine, ShipmentLine.product_id == Product.id)
        .where(ShipmentLine.shipment_id == shipment_id, Product.gtin.is_not(None))
    )
    return {sku: gtin for sku, gtin in rows if gtin}


def cartons(session: Session, *, used: bool = False) -> Sequence[CartonRow]:
    """Returns the cartons by volume; with `used` those that are proposed."""
    volume = CartonRow.length_mm * CartonRow.width_mm * CartonRow.height_mm
    wanted = select(CartonRow).order_by(volume, CartonRow.id)
    return session.scalars(wanted.where(CartonRow.used.is_(True)) if used else wanted).all()


def find_carton(session: Session, code: str) -> CartonRow | None:
    """Returns the carton with a code, or None."""
    return session.scalar(select(CartonRow).where(CartonRow.code == code.strip()))


def carton_by_code(session: Session, code: str) -> CartonRow:
    """Returns the carton with a code."""
    row = find_carton(session, code)
    if row is None:
        raise not_found("carton", code)
    return row


def set_scanned(session: Session, line_id: int, units: int) -> None:
    """Keeps how many units of a line were scanned for the next parcel."""
    session.get_one(ShipmentLine, line_id).scanned = units
    session.flush()
