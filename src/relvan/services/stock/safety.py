"""Safety stock of many products: how many units a warehouse keeps back of each, from every channel."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import STOCKED
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.core.stock.movements import MOST_UNITS
from relvan.services import audit
from relvan.services.changes import changes_of
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import NamedProduct, named_products
from relvan.store.session import Session
from relvan.store.stock import balance_row, balance_rows, warehouse_by_key

CHUNK = 500


@dataclass
class SafetyChanges:
    """The result: what each product that changed had before, the products that had it already, and
    why others were refused, by SKU."""

    before: dict[str, int] = field(default_factory=dict)
    same: list[str] = field(default_factory=list)
    refused: dict[str, str] = field(default_factory=dict)


def foresee_safety(
    session: Session, skus: Sequence[str], warehouse: str, units: int
) -> SafetyChanges:
    """Returns what setting the safety stock would do. Nothing is changed.

    Raises:
        Refused: if the warehouse does not exist, or the number is out of range.
    """
    return _planned(session, dict.fromkeys(skus, units), warehouse)[0]


def set_safety_of_many(
    workplace: Workplace, actor: Actor, wanted: Mapping[str, int], warehouse: str
) -> SafetyChanges:
    """Sets the safety stock of products in a warehouse, by SKU; a refused one does not stop the
    others."""
    actor.must(Right.STOCK)
    if not wanted:
        raise refuse("missing", "No product is chosen.", "Tick some, or all that match.", "pick")
    changed = SafetyChanges()
    skus = list(wanted)
    for start in range(0, len(skus), CHUNK):
        chunk = {sku: wanted[sku] for sku in skus[start : start + CHUNK]}
        with workplace.database.writing() as session:
            found, products = _planned(session, chunk, warehouse)
            place = warehouse_by_key(session, warehouse)
            entries = []
            for sku, before in found.before.items():
                product = products[sku]
                balance_row(session, product.id, place.id).safety = chunk[sku]
                entries.append(
                    (product.id, "changed", {f"safety in {place.name}": (before, chunk[sku])})
                )
            session.flush()
            audit.record_many(session, actor, workplace.now(), "product", entries)
            ids = [products[sku].id for sku in found.before]
            changes_of(session).stock_moved(ids, freed=True)
        changed.before |= found.before
        changed.same += found.same
        changed.refused |= found.refused
    return changed


def _planned(
    session: Session, wanted: Mapping[str, int], warehouse: str
) -> tuple[SafetyChanges, dict[str, NamedProduct]]:
    place = warehouse_by_key(session, warehouse)
    strange = next((units for units in wanted.values() if not 0 <= units <= MOST_UNITS), None)
    if strange is not None:
        message = f"“Safety stock” must be 0 to {MOST_UNITS:,}; it got {strange:,}."
        raise refuse("out-of-range", message, "Correct the number.", "units")
    known = named_products(session, list(wanted))
    products = {sku: known[sku_key(sku)] for sku in wanted if sku_key(sku) in known}
    balances = balance_rows(session, {product.id for product in products.values()})
    found = SafetyChanges()
    for sku, units in wanted.items():
        product = products.get(sku)
        if product is None:
            found.refused[sku] = f"There is no product “{sku}”."
        elif product.kind not in STOCKED:
            found.refused[sku] = f"“{sku}” is a {product.kind} and holds no stock."
        else:
            balance = balances.get((product.id, place.id))
            before = balance.safety if balance else 0
            if before == units:
                found.same.append(sku)
            else:
                found.before[sku] = before
    return found, products
