"""Writes the lines of an order. Lines of kits are followed by lines of their stocked parts."""

from collections.abc import Mapping, Sequence

from relvan.core.catalogue.kits import leaves_of
from relvan.core.catalogue.product import STOCKED, ProductKind
from relvan.store.catalogue import titles_of
from relvan.store.facts import parts_below
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
    below = parts_below(session, kits)
    leaves = {kit: leaves_of(kit, below) for kit in kits}
    names = titles_of(session, {part for units in leaves.values() for part in units})
    made = []
    for line in selling:
        assert line.product_id is not None
        line.stocked = False
        for part, quantity in leaves[line.product_id].items():
            sku, title = names[part]
            made.append(
                OrderLine(
                    order_id=line.order_id,
                    position=line.position,
                    sku=sku,
                    title=title,
                    product_id=part,
                    stocked=True,
                    quantity=quantity * line.quantity,
                    unit_price=0,
                    part_of=line.id,
                    apart=kits[line.product_id],
                )
            )
    session.add_all(made)
    session.flush()
    return made


def is_stocked(kind: str) -> bool:
    """Says whether products of a kind are kept in a warehouse; an unknown product counts as
    stocked."""
    return not kind or kind in STOCKED


def kits_among(products: Sequence[Product]) -> dict[int, bool]:
    """Returns the kits among products, and whether their parts may travel apart."""
    return {
        product.id: product.parts_apart for product in products if product.kind == ProductKind.KIT
    }
