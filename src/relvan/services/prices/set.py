"""Sets list prices and floors; every listing that depends on them is worked out again."""

from collections.abc import Mapping

from relvan.core.catalogue.checks import check_number, check_price
from relvan.core.catalogue.keyed import Keyed
from relvan.core.money import MOST_MINOR
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse_if_any
from relvan.services.catalogue.save import change_facts
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.facts import facts_by_id
from relvan.store.prices import price_list_by_key


def set_list_price(
    workplace: Workplace, actor: Actor, sku: str, list_key: str, amount: int | None
) -> int | None:
    """Sets a product's price on a list in minor units, or removes it from the list; returns what it
    was before."""
    if amount is not None:
        refuse_if_any(check_price(list_key, amount))
    with workplace.database.reading() as session:
        price_list_by_key(session, list_key)
    name = Keyed.PRICE.fact(list_key)
    return _set(workplace, actor, sku, {name: amount})[name]


def set_floor(workplace: Workplace, actor: Actor, sku: str, floor: int | None) -> None:
    """Sets the lowest price that may ever be sent for a product, in minor units."""
    refuse_if_any(check_number("floor", "Floor", floor, 0, MOST_MINOR, "minor units"))
    _set(workplace, actor, sku, {"floor": floor})


def set_price_and_floor(
    workplace: Workplace,
    actor: Actor,
    sku: str,
    list_key: str,
    amount: int | None,
    floor: int | None,
) -> int | None:
    """Sets a product's price on a list and its floor, in minor units, both or neither; returns the
    price before."""
    if amount is not None:
        refuse_if_any(check_price(list_key, amount))
    refuse_if_any(check_number("floor", "Floor", floor, 0, MOST_MINOR, "minor units"))
    with workplace.database.reading() as session:
        price_list_by_key(session, list_key)
    return _set(workplace, actor, sku, {Keyed.PRICE.fact(list_key): amount, "floor": floor})[
        Keyed.PRICE.fact(list_key)
    ]


def _set(
    workplace: Workplace, actor: Actor, sku: str, facts: Mapping[str, int | None]
) -> dict[str, int | None]:
    """Sets some facts in one change; returns what each was before."""
    actor.must(Right.PRICES)
    with workplace.database.reading() as session:
        product = find_product(session, sku)
        held = facts_by_id(session, [product.id])[product.id]
    (verdict,) = change_facts(workplace, actor, [(sku, dict(facts))], right=Right.PRICES)
    if not verdict.ok:
        raise Refused(Refusal(verdict.code, verdict.message, verdict.fix, "amount"))
    return {name: held.get(name) for name in facts}
