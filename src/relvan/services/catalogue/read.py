"""Reads one product as a whole, as it is now or as it was at a moment."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from relvan.core.catalogue.attributes import asked_of
from relvan.core.catalogue.completeness import Completeness, completeness
from relvan.core.catalogue.facts import Facts, draft_from, earlier, inherited
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.kits import KitSums, PartWorth, kit_sums
from relvan.core.catalogue.product import ProductDraft
from relvan.core.refusal import refuse
from relvan.services.workplace import Workplace
from relvan.store.catalogue import PictureRow, find_product, product_pictures
from relvan.store.categories import CategoryTree, category_tree
from relvan.store.facts import codes, facts_by_id, facts_with_head, whole_facts
from relvan.store.history import changes_since, made_at
from relvan.store.session import Session


@dataclass(frozen=True)
class ProductView:
    """A product with its pictures. `whole` are its facts together with those that its family lends
    it, and `head` is that family; `categories` is the tree of categories with what each recommends.
    """

    id: int
    draft: ProductDraft
    whole: ProductDraft
    pictures: list[PictureRow]
    lent_pictures: list[PictureRow]
    archived: bool
    completeness: Completeness
    categories: CategoryTree
    head: ProductDraft | None = None


def view_product(workplace: Workplace, sku: str) -> ProductView:
    """Returns a product by its SKU or an alias."""
    with workplace.database.reading() as session:
        return view_in(session, sku)


def view_in(session: Session, sku: str) -> ProductView:
    """Does the same within a session, with five queries whatever the product, and one more for a
    kit."""
    product_id, facts = facts_with_head(session, sku)
    own = facts[product_id]
    head_id = next((one for one in facts if one != product_id), None)
    whole = own if head_id is None else inherited(own, facts[head_id])
    pictures = product_pictures(session, facts)
    shown = pictures[product_id]
    lent = pictures[head_id] if head_id is not None and not shown else []
    categories, category = category_tree(session), str(whole.get("category", ""))
    asked = asked_of(category, categories.asks)
    return ProductView(
        product_id,
        draft_from(own),
        draft_from(whole),
        shown,
        lent,
        bool(own.get("archived")),
        completeness(whole, pictures=len(shown or lent), asked=asked),
        categories,
        None if head_id is None else draft_from(facts[head_id]),
    )


def drafts_of(
    workplace: Workplace, skus: Iterable[str]
) -> dict[str, tuple[ProductDraft, ProductDraft]]:
    """Returns, by the key of each SKU or alias that is in the catalogue, the product's own draft
    and the draft with what its family lends it. The number of queries does not grow with the SKUs.
    """
    with workplace.database.reading() as session:
        found = codes(session, skus)
        own = facts_by_id(session, {product_id for product_id, _, _ in found.values()})
        whole = whole_facts(session, own)
    drafts = {one: (draft_from(facts), draft_from(whole[one])) for one, facts in own.items()}
    return {key: drafts[product_id] for key, (product_id, _, _) in found.items()}


def facts_at(workplace: Workplace, sku: str, moment: datetime) -> Facts:
    """Returns a product's own facts as they were at a moment. Refused when it did not exist yet."""
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        if moment < made_at(session, product.id):
            raise refuse(
                "too-early", f"“{product.sku}” was not there yet.", "Choose a later time.", "at"
            )
        now = facts_by_id(session, [product.id])[product.id]
        changes = [facts for facts in changes_since(session, product.id, moment) if facts]
    return earlier(
        now, [{n: pair for n, pair in change.items() if _is_fact(n)} for change in changes]
    )


def _is_fact(name: str) -> bool:
    return name != "pictures" and not name.startswith("safety ")


def sums_of_kit(session: Session, facts: Facts, price_list: str) -> KitSums:
    """Adds up the list prices, costs and weights of the parts of a kit, with what families lend
    them."""
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
        worth.append(
            PartWorth(
                parts[sku],
                part.get(Keyed.PRICE.fact(price_list)),
                part.get("cost"),
                part.get("weight_g"),
            )
        )
    return kit_sums(worth)
