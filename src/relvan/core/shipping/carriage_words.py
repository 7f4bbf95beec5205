"""Says rules of carriage in words."""

from collections.abc import Callable, Mapping

from relvan.core.shipping.carriage import CarriageRule, RuleTake

TAKE_WORDS: Mapping[RuleTake, str] = {
    RuleTake.PROMISED: "the cheapest that arrives by the promised day, else the fastest",
    RuleTake.CHEAPEST: "the cheapest",
    RuleTake.FASTEST: "the fastest",
    RuleTake.NAMED: "the first of the services below that serves",
}


def carriage_words(
    rule: CarriageRule,
    channels: Mapping[str, str],
    warehouses: Mapping[str, str],
    services: Mapping[str, str],
    money: Callable[[int], str],
) -> str:
    """Returns a rule as a sentence; names of channels, warehouses and services are given by their keys.

    >>> rule = CarriageRule("x", RuleTake.CHEAPEST, countries=("IE",), least_g=2_000, signature=True)
    >>> carriage_words(rule, {}, {}, {}, str)
    'Going to IE, from 2000 g: the cheapest, signed for.'
    """
    only = []
    if rule.countries:
        only.append(f"going to {', '.join(rule.countries)}")
    if rule.postcodes:
        only.append(f"postcodes that begin with {', '.join(rule.postcodes)}")
    if rule.channels:
        sold_on = (channels.get(one, "orders by hand") for one in rule.channels)
        only.append(f"sold on {', '.join(sold_on)}")
    if rule.warehouses:
        only.append(f"leaving {', '.join(warehouses.get(one, one) for one in rule.warehouses)}")
    if rule.least_g is not None or rule.most_g is not None:
        only.append(_range(rule.least_g, rule.most_g, lambda grams: f"{grams} g"))
    if rule.least_value is not None or rule.most_value is not None:
        only.append(f"worth {_range(rule.least_value, rule.most_value, money)}")
    named = "; ".join(services.get(one, one) for one in rule.services)
    then = TAKE_WORDS[rule.take].replace("the services below", named)
    if rule.services and rule.take != RuleTake.NAMED:
        then += f" of {named}"
    if rule.signature:
        then += ", signed for"
    if rule.insured:
        then += ", insured"
    first = ", ".join(only) or "everything"
    return f"{first[0].upper()}{first[1:]}: {then}."


def _range(least: int | None, most: int | None, told: Callable[[int], str]) -> str:
    if least is None:
        return f"up to {told(most or 0)}"
    return f"from {told(least)}" + (f" to {told(most)}" if most is not None else "")
