"""How the prices of each channel follow from one price list: by steps, or as a list of its own."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.money import Money
from relvan.core.move_in.prices import Explained, explain
from relvan.core.move_in.proposal import Proposed
from relvan.core.prices.rates import Rates
from relvan.core.prices.steps import PriceTerms, after_step, steps_data, steps_from
from relvan.services.move_in.decisions import LIST, STEPS
from relvan.store.session import Session
from relvan.store.tables import Channel, PriceList

FAR = 150  # so far from where a percentage leads is a list price looked for, in minor units


@dataclass(frozen=True)
class PricePlan:
    """Where prices of products are kept: `base` is the channel whose prices become list prices on
    `list_key`; by channel, how its prices come about, its list, and how well the steps explain it.
    """

    base: str
    list_key: str
    channels: Mapping[str, Mapping[str, Any]]

    def as_dict(self) -> dict[str, Any]:
        """Returns the plan as plain data."""
        return {"base": self.base, "list": self.list_key, "channels": dict(self.channels)}


def plan_prices(
    session: Session,
    found: Sequence[Channel],
    products: Sequence[Proposed],
    decided: Mapping[str, str],
    rates: Rates,
) -> PricePlan:
    """Plans the prices of some channels. Unless a person names it, the base is the channel from
    whose prices most of the others follow by steps."""
    tried = {
        base.key: {
            other.key: _explained(base, other, products, rates)
            for other in found
            if other.key != base.key
        }
        for base in found
    }
    best = max(
        found,
        key=lambda base: (
            sum(told.enough for told in tried[base.key].values()),
            sum(bool(one.prices.get(base.key)) for one in products),
        ),
    )
    base = decided.get("base") or best.key
    lists = {
        channel.key: session.get_one(PriceList, channel.price_list_id).key for channel in found
    }
    taken = {lists[base]}
    plans: dict[str, dict[str, Any]] = {}
    for channel in found:
        told = tried[base].get(channel.key)
        if told is None:
            plans[channel.key] = {"how": LIST, "list": lists[base], "base": True}
            continue
        how = decided.get(channel.key) or (STEPS if told.enough else LIST)
        plan: dict[str, Any] = {"how": how, "right": told.right, "of": told.of}
        plan["steps"] = steps_data(told.steps)
        if how == STEPS:
            plan["list"] = lists[base]
        else:
            own = lists[channel.key]
            plan["list"] = own if own not in taken else channel.key
            plan["new"] = plan["list"] != own
            taken.add(plan["list"])
        plans[channel.key] = plan
    return PricePlan(base, lists[base], plans)


def _explained(
    base: Channel, other: Channel, products: Sequence[Proposed], rates: Rates
) -> Explained:
    pairs = [
        (one.prices[base.key], one.prices[other.key])
        for one in products
        if one.prices.get(base.key) and one.prices.get(other.key)
    ]
    return explain(pairs, base.currency, other.currency, rates)


def price_facts(
    plan: PricePlan, one: Proposed, currencies: Mapping[str, str], rates: Rates
) -> dict[str, int]:
    """Returns the prices of a product by price list. Where the base does not list it, the list
    price is the one from which the steps lead to what another channel asks."""
    found: dict[str, int] = {}
    for key, told in plan.channels.items():
        if told["how"] == LIST and one.prices.get(key):
            found[told["list"]] = one.prices[key]
    if plan.list_key not in found:
        for key, told in plan.channels.items():
            if told["how"] == STEPS and one.prices.get(key):
                found[plan.list_key] = led_back(
                    one.prices[key], told["steps"], currencies[plan.base], rates
                )
                break
    return found


def led_back(price: int, steps: Sequence[Mapping[str, object]], currency: str, rates: Rates) -> int:
    """Returns a list price from which steps lead to a price, or to the nearest that they reach."""
    read, terms = steps_from(steps), PriceTerms(rates=rates)

    def led(amount: int) -> int:
        money: Money | str = Money(amount, currency)
        for step in read:
            money = after_step(money, step, terms) if isinstance(money, Money) else money
        return money.amount if isinstance(money, Money) else 0

    there = led(price)
    middle = round(price * price / there) if there else price
    near = sorted(range(max(1, middle - FAR), middle + FAR + 1), key=lambda a: abs(a - middle))
    return min(near, key=lambda amount: (abs(led(amount) - price), abs(amount - middle)))
