"""Setting list prices and floors; every listing that follows them is worked out again."""

from relvan.core.catalogue.checks import check_number, check_price
from relvan.core.money import MOST_MINOR
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse_if_any
from relvan.services.catalogue.save import change_facts
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.facts import facts_by_id
from relvan.store.prices import price_list_by_key


def set_list_price(workplace: Workplace, actor: Actor, sku: str, list_key: str, amount: int | None) -> int | None:
    """Set a product's price on a list in minor units, or take it off the list; what it was before."""
    if amount is not None:
        refuse_if_any(check_price(list_key, amount))
    with workplace.database.reading() as session:
        price_list_by_key(session, list_key)
    return _set(workplace, actor, sku, f"price {list_key}", amount)


def set_floor(workplace: Workplace, actor: Actor, sku: str, floor: int | None) -> None:
    """Set the lowest price that may ever be sent for a product, in minor units."""
    refuse_if_any(check_number("floor", "Floor", floor, 0, MOST_MINOR, "minor units"))
    _set(workplace, actor, sku, "floor", floor)


def _set(workplace: Workplace, actor: Actor, sku: str, fact: str, value: int | None) -> int | None:
    """Set one fact; what it was before."""
    actor.must(Right.PRICES)
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        before: int | None = facts_by_id(session, [product.id])[product.id].get(fact)
    (verdict,) = change_facts(workplace, actor, [(sku, {fact: value})], right=Right.PRICES)
    if not verdict.ok:
        raise Refused(Refusal(verdict.code, verdict.message, verdict.fix, "amount"))
    return before
