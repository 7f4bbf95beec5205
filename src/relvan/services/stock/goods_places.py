"""Finds the bins that goods lie in or go into: reads once what movements of many goods need to know, and
follows them while they are worked out."""

from collections.abc import Iterable
from dataclasses import dataclass

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import STOCKED
from relvan.core.refusal import not_found, refuse
from relvan.core.stock.movements import Change, Level
from relvan.store.catalogue import NamedProduct, named_products
from relvan.store.goods_places import (
    bins_by_code,
    first_bin,
    lying_in_bins,
    warehouses_by_name,
)
from relvan.store.session import Session
from relvan.store.tables import Bin, Warehouse

NOTHING = Level(0, 0)


@dataclass(frozen=True)
class GoodsPlace:
    """A bin for a product, with what lies there of it."""

    product: NamedProduct
    warehouse: Warehouse
    bin: Bin
    level: Level


class GoodsPlaces:
    """The bins that are named together with goods, each as (SKU or alias, warehouse by key or name, code
    of the bin, or "" for the usual one). It takes four queries, however many they are, and one for each
    warehouse in which something lies nowhere yet."""

    def __init__(self, session: Session, wanted: Iterable[tuple[str, str, str]]) -> None:
        wishes = list(wanted)
        self._products = named_products(session, [sku for sku, _, _ in wishes])
        self._warehouses = warehouses_by_name(session, {name for _, name, _ in wishes})
        places = {place.id for place in self._warehouses.values()}
        self._named = bins_by_code(session, places, {code for _, _, code in wishes if code})
        self._session, self._first = session, dict[int, Bin | None]()
        self._levels: dict[tuple[int, int], Level] = {}
        self._usual: dict[tuple[int, int], list[Bin]] = {}
        products = {product.id for product in self._products.values()}
        for lies, product_id, *level in lying_in_bins(session, products, places):
            self._levels[lies.id, product_id] = Level(*level)
            if not lies.closed:
                self._usual.setdefault((lies.warehouse_id, product_id), []).append(lies)

    def find(self, sku: str, warehouse: str, code: str) -> GoodsPlace:
        """Returns the bin of a product with this code; without a code, the one where most of it lies,
        else the first one.

        Raises:
            Refused: if there is no such product, warehouse or bin, the bin is closed, or the product
                is of a kind that holds no stock.
        """
        product = self._products.get(sku_key(sku))
        if product is None:
            raise not_found("product", sku)
        place = self._warehouses.get(warehouse.strip().lower())
        if place is None:
            raise not_found("warehouse", warehouse)
        if product.kind not in STOCKED:
            message = f"“{product.sku}” is a {product.kind} and holds no stock."
            raise refuse("not-stocked", message, "", "sku")
        found = self._named_bin(place, code) if code else self._usual_bin(product, place)
        return GoodsPlace(product, place, found, self._levels.get((found.id, product.id), NOTHING))

    def move(self, shelf: GoodsPlace, change: Change) -> None:
        """Notes what a movement does to a bin, for those that come after it."""
        level = self._levels.get((shelf.bin.id, shelf.product.id))
        if level is None:
            level = NOTHING
            if not shelf.bin.closed:
                key = (shelf.warehouse.id, shelf.product.id)
                self._usual.setdefault(key, []).append(shelf.bin)
        self._levels[shelf.bin.id, shelf.product.id] = Level(
            level.on_hand + change.on_hand, level.blocked + change.blocked, level.picked
        )

    def _named_bin(self, place: Warehouse, code: str) -> Bin:
        found = self._named.get((place.id, code.upper()))
        if found is None:
            message = f"There is no bin “{code[:40]}” in {place.name}."
            raise refuse("not-found", message, "Type a bin as it is written on the shelf.", "bin")
        if found.closed:
            message = f"Bin {found.code} in {place.name} is closed."
            raise refuse("closed", message, "Name another one, or open it in Setup.", "bin")
        return found

    def _usual_bin(self, product: NamedProduct, place: Warehouse) -> Bin:
        used = self._usual.get((place.id, product.id))
        if used:
            return min(
                used, key=lambda one: (-self._levels[one.id, product.id].on_hand, one.walk, one.id)
            )
        if place.id not in self._first:
            self._first[place.id] = first_bin(self._session, place.id)
        found = self._first[place.id]
        if found is None:
            message = f"{place.name} has no bins."
            raise refuse("no-bin", message, "Add one in Setup.", "warehouse")
        return found


def goods_place(session: Session, sku: str, warehouse: str, code: str = "") -> GoodsPlace:
    """Returns the bin of one product, as `GoodsPlaces.find` does."""
    return GoodsPlaces(session, [(sku, warehouse, code)]).find(sku, warehouse, code)
