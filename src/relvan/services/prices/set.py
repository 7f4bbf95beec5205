"""Setting list prices and floors; every listing that follows them is worked out again."""

from sqlalchemy import select

from relvan.core.catalogue.product import check_number, check_price
from relvan.core.money import MOST_MINOR
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse_if_any
from relvan.services import audit
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.tables import ListPrice, PriceList


def set_list_price(workplace: Workplace, actor: Actor, sku: str, list_key: str, amount: int | None) -> int | None:
    """Set a product's price on a list in minor units, or take it off the list; what it was before."""
    actor.must(Right.PRICES)
    if amount is not None:
        refuse_if_any(check_price(list_key, amount))
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        price_list = session.scalar(select(PriceList).where(PriceList.key == list_key))
        if price_list is None:
            raise not_found("price list", list_key)
        kept = session.get(ListPrice, (price_list.id, product.id))
        before = kept.amount if kept else None
        if before == amount:
            return before
        if kept is not None and amount is None:
            session.delete(kept)
        elif kept is not None and amount is not None:
            kept.amount = amount
        elif amount is not None:
            session.add(ListPrice(price_list_id=price_list.id, product_id=product.id, amount=amount))
        session.flush()
        settle_completeness(session, [product.id])
        changes = {f"price {list_key}": (before, amount)}
        audit.record(session, actor, workplace.now(), "product", product.id, "changed", changes)
        refresh_listings(session, workplace, product_ids=[product.id])
        return before


def set_floor(workplace: Workplace, actor: Actor, sku: str, floor: int | None) -> None:
    """Set the lowest price that may ever be sent for a product, in minor units."""
    actor.must(Right.PRICES)
    refuse_if_any(check_number("floor", "Floor", floor, 0, MOST_MINOR, "minor units"))
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        if product.floor == floor:
            return
        changes = {"floor": (product.floor, floor)}
        product.floor = floor
        session.flush()
        audit.record(session, actor, workplace.now(), "product", product.id, "changed", changes)
        refresh_listings(session, workplace, product_ids=[product.id])
