"""Reading one product whole: as it is, or as it was at a time."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from relvan.core.catalogue.completeness import Completeness
from relvan.core.catalogue.facts import Facts, draft_from, earlier
from relvan.core.catalogue.kits import KitSums, PartWorth, kit_sums
from relvan.core.catalogue.product import ProductDraft
from relvan.core.refusal import refuse
from relvan.services.catalogue.complete import completeness_of
from relvan.services.workplace import Workplace
from relvan.store.catalogue import PictureRow, find_product, product_pictures
from relvan.store.facts import codes, facts_by_id, whole_facts
from relvan.store.history import changes_since, made_at


@dataclass(frozen=True)
class ProductView:
    """A product with its pictures; `whole` are its facts with what its family lends it."""

    id: int
    draft: ProductDraft
    whole: ProductDraft
    pictures: list[PictureRow]
    lent_pictures: list[PictureRow]
    archived: bool
    completeness: Completeness


def view_product(workplace: Workplace, sku: str) -> ProductView:
    """A product by its SKU or an alias."""
    with workplace.database.reading() as session:
        return view_in(session, sku)


def view_in(session: Session, sku: str) -> ProductView:
    """The same within a session."""
    product = find_product(session, sku)
    own = facts_by_id(session, [product.id])
    whole = whole_facts(session, own)[product.id]
    pictures = product_pictures(session, product.id)
    lent = product_pictures(session, product.family_id) if product.family_id and not pictures else []
    return ProductView(
        product.id, draft_from(own[product.id]), draft_from(whole), pictures, lent, product.archived_at is not None,
        completeness_of(session, [product.id])[product.id],
    )  # fmt: skip


def facts_at(workplace: Workplace, sku: str, moment: datetime) -> Facts:
    """A product's own facts as they were at a moment. Refused: before it was made."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        if moment < made_at(session, product.id):
            raise refuse("too-early", f"“{product.sku}” was not there yet.", "Choose a later time.", "at")
        now = facts_by_id(session, [product.id])[product.id]
        changes = [facts for facts in changes_since(session, product.id, moment) if facts]
    return earlier(now, [{n: pair for n, pair in change.items() if _is_fact(n)} for change in changes])


def _is_fact(name: str) -> bool:
    return name != "pictures" and not name.startswith("safety ")


def sums_of_kit(session: Session, facts: Facts, price_list: str) -> KitSums:
    """What the parts of a kit come to: their list prices, costs and weights, with what families lend."""
    parts = dict(facts.get("parts", ()))
    known = codes(session, parts)
    ids = {found[0]: sku for key, found in known.items() for sku in parts if sku.casefold() == key}
    held = whole_facts(session, facts_by_id(session, ids))
    worth = []
    for product_id, sku in ids.items():
        part: Any = held[product_id]
        if part.get("kind") == "kit":
            inner = sums_of_kit(session, part, price_list)
            part = {"cost": inner.cost, "weight_g": inner.weight_g, **part}
        worth.append(PartWorth(parts[sku], part.get(f"price {price_list}"), part.get("cost"), part.get("weight_g")))
    return kit_sums(worth)
