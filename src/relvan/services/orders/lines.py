"""Writes the lines of an order. Lines of kits are followed by lines of their stocked parts."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from relvan.core.catalogue.kits import leaves_of
from relvan.core.catalogue.product import STOCKED, ProductKind
from relvan.store.catalogue import titles_of
from relvan.store.ids import add_together
from relvan.store.kits import parts_below
from relvan.store.session import Session
from relvan.store.tables import OrderLine, Product


def add_parts(
    session: Session, lines: Sequence[OrderLine], kits: Mapping[int, bool]
) -> list[OrderLine]:
    """Adds lines of the parts of kits, free of charge, beside the lines that sell the kits; returns
    the new lines.

    `kits` are the kits among the products of the lines, and whether their parts may travel apart.
    The kit's own line is not stocked: its parts are promised, picked and shipped.
    """
    selling = [line for line in lines if line.product_id in kits]
    if not selling:
        return []
    parts = parts_of_kits(session, kits)
    made = []
    for line in selling:
        assert line.product_id is not None
        line.stocked = False
        for part in parts[line.product_id]:
            made.append(
                OrderLine(
                    order_id=line.order_id,
                    position=line.position,
                    sku=part.sku,
                    title=part.title,
                    product_id=part.product_id,
                    stocked=True,
                    quantity=part.quantity * line.quantity,
                    unit_price=0,
                    part_of=line.id,
                    apart=kits[line.product_id],
                )
            )
    add_together(session, made)
    return made


@dataclass(frozen=True)
class KitPartLine:
    """A stocked part of a kit, with the units of it in one kit."""

    product_id: int
    sku: str
    title: str
    quantity: int


def parts_of_kits(session: Session, kits: Collection[int]) -> dict[int, list[KitPartLine]]:
    """Returns the stocked parts of kits, those of kits within them included."""
    if not kits:
        return {}
    below = parts_below(session, kits)
    leaves = {kit: leaves_of(kit, below) for kit in kits}
    names = titles_of(session, {part for units in leaves.values() for part in units})
    return {
        kit: [KitPartLine(part, *names[part], quantity) for part, quantity in units.items()]
        for kit, units in leaves.items()
    }


def is_stocked(kind: str) -> bool:
    """Says whether products of a kind are kept in a warehouse; an unknown product counts as
    stocked."""
    return not kind or kind in STOCKED


def kits_among(products: Sequence[Product]) -> dict[int, bool]:
    """Returns the kits among products, and whether their parts may travel apart."""
    return {
        product.id: product.parts_apart for product in products if product.kind == ProductKind.KIT
    }
