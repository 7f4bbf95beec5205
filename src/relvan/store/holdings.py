"""Loads what can be sold of products by warehouse, for a supply list, or over all; kits are worked
out from their parts.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from relvan.core.catalogue.kits import PartStock, can_be_made, leaves_of
from relvan.core.catalogue.product import ProductKind
from relvan.core.stock.availability import Holding, StockBalance
from relvan.store.catalogue import kinds_of, skus_of
from relvan.store.kits import parts_below
from relvan.store.stock import balances_of, warehouse_names


@dataclass(frozen=True)
class Holdings:
    """The stock of some products: their balances, the stocked parts of the kits among them (also by
    their ids in `leaves`), and the kinds of all.
    """

    names: Mapping[int, str]
    balances: Mapping[int, Mapping[int, StockBalance]]
    kits: Mapping[int, Sequence[PartStock]] = field(default_factory=dict)
    apart: Mapping[int, bool] = field(default_factory=dict)
    leaves: Mapping[int, Mapping[int, int]] = field(default_factory=dict)
    kinds: Mapping[int, str] = field(default_factory=dict)

    def of(self, product_id: int, supply_list: Sequence[int] | None = None) -> list[Holding]:
        """Returns what each warehouse of a supply list has of a product, in the order of the list;
        without a list, what every warehouse has.
        """
        places = list(self.names) if supply_list is None else supply_list
        if product_id in self.kits:
            named = {where: self.names[where] for where in places}
            return list(
                can_be_made(self.kits[product_id], named, apart=self.apart[product_id]).values()
            )
        held = self.balances.get(product_id, {})
        return [held[where] for where in places if where in held]

    def outside(self, product_id: int, supply_list: Sequence[int]) -> list[Holding]:
        """Returns what the warehouses that are not on a supply list have of a product."""
        return self.of(product_id, [where for where in self.names if where not in supply_list])

    def free(self, product_id: int) -> int:
        """Returns what can be sold of a product over all warehouses."""
        return sum(holding.free for holding in self.of(product_id))


def load_holdings(
    session: Session,
    product_ids: Collection[int],
    *,
    listed: bool = False,
    kinds: Mapping[int, tuple[str, bool]] | None = None,
) -> Holdings:
    """Loads the stock of products, and for the kits among them that of their parts. It takes at
    most a handful of queries. With `listed` it is only asked for by supply lists, so that the names
    of the warehouses are needed for kits alone. `kinds` are the kinds of the products with whether
    their parts may travel apart, if they are known.
    """
    kinds = kinds_of(session, product_ids) if kinds is None else kinds
    named = {product_id: kind for product_id, (kind, _) in kinds.items()}
    kits = [product_id for product_id, (kind, _) in kinds.items() if kind == ProductKind.KIT]
    names = warehouse_names(session) if kits or not listed else {}
    if not kits:
        return Holdings(names, balances_of(session, product_ids), kinds=named)
    below = parts_below(session, kits)
    leaves = {kit: leaves_of(kit, below) for kit in kits}
    parts = {part for units in leaves.values() for part in units}
    balances = balances_of(session, {*product_ids, *parts})
    skus = skus_of(session, parts)
    stocked = {
        kit: [
            PartStock(skus[part], quantity, balances.get(part, {}))
            for part, quantity in units.items()
        ]
        for kit, units in leaves.items()
    }
    return Holdings(names, balances, stocked, {kit: kinds[kit][1] for kit in kits}, leaves, named)
