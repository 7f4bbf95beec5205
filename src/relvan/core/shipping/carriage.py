"""Which service carries a shipment: the seller's rules in their order, and what they would have cost. See
docs/rules.md, “Carriage”.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date
from enum import StrEnum
from typing import Any, Generic, Protocol, TypeVar

from relvan.core.packing.weighing import Offered, choose_service
from relvan.core.refusal import Refusal, refuse

MOST_RULES, MOST_NAME, MOST_VALUES = 100, 80, 60


class RuleTake(StrEnum):
    """How a rule takes a service: the first of those that it names, the cheapest, the fastest, or the
    cheapest that arrives by the promised day."""

    NAMED = "named"
    CHEAPEST = "cheapest"
    FASTEST = "fastest"
    PROMISED = "promised"


@dataclass(frozen=True)
class Extras:
    """What a carrier is to do besides: take a signature, and insure the goods at their value."""

    signature: bool = False
    insured: bool = False


@dataclass(frozen=True)
class CarriageFacts:
    """What rules look at in a shipment: where it goes, the keys of its channel (empty for orders by hand)
    and its warehouse, its weight in grams, the value of its goods in minor units of the order's currency,
    and the promised day."""

    country: str
    postcode: str
    channel: str
    warehouse: str
    weight_g: int
    value: int
    promised: date | None = None


@dataclass(frozen=True)
class CarriageRule:
    """A rule of the seller. Whatever is empty is not asked for; of several values one is enough. Postcodes
    are given by how they begin. Weights are in grams, values in minor units of the order's currency.
    `services` are written as `carrier:service`; with `CHEAPEST`, `FASTEST` and `PROMISED` they limit
    what may be taken, and empty they allow everything."""

    name: str
    take: RuleTake = RuleTake.PROMISED
    services: tuple[str, ...] = ()
    countries: tuple[str, ...] = ()
    postcodes: tuple[str, ...] = ()
    channels: tuple[str, ...] = ()
    warehouses: tuple[str, ...] = ()
    least_g: int | None = None
    most_g: int | None = None
    least_value: int | None = None
    most_value: int | None = None
    signature: bool = False
    insured: bool = False
    active: bool = True
    id: int = 0

    @property
    def extras(self) -> Extras:
        """What the rule wants besides."""
        return Extras(self.signature, self.insured)

    def fits(self, facts: CarriageFacts) -> bool:
        """Says whether a rule is for a shipment.

        >>> CarriageRule("Islands", countries=("IE",), postcodes=("F2",)).fits(
        ...     CarriageFacts("IE", "f26 x1", "", "millrace", 900, 2000))
        True
        """
        postcode = _plain(facts.postcode)
        return (
            self.active
            and (not self.countries or facts.country in self.countries)
            and (not self.postcodes or any(postcode.startswith(_plain(p)) for p in self.postcodes))
            and (not self.channels or (facts.channel or "none") in self.channels)
            and (not self.warehouses or facts.warehouse in self.warehouses)
            and _between(facts.weight_g, self.least_g, self.most_g)
            and _between(facts.value, self.least_value, self.most_value)
        )

    def as_dict(self) -> dict[str, Any]:
        """Returns the rule as plain data, without its id."""
        found = {part.name: getattr(self, part.name) for part in fields(self) if part.name != "id"}
        return {
            **{
                key: [*value] if isinstance(value, tuple) else value for key, value in found.items()
            },
            "take": str(self.take),
        }

    @classmethod
    def read(cls, told: Mapping[str, Any], rule_id: int = 0) -> "CarriageRule":
        """Reads a rule from plain data; one that takes in a way that there is not is refused.

        >>> rule = CarriageRule("Heavy", least_g=10_000, services=("ostrel:bulky",))
        >>> CarriageRule.read(rule.as_dict()) == rule
        True
        """
        known = {part.name for part in fields(cls)} - {"id"}
        facts = {key: value for key, value in told.items() if key in known}
        facts = {key: tuple(v) if isinstance(v, list) else v for key, v in facts.items()}
        take = facts.pop("take", RuleTake.PROMISED)
        if take not in set(RuleTake):
            fix = f"Choose one of {', '.join(RuleTake)}."
            raise refuse("not-allowed", f"Nothing is called “{str(take)[:20]}”.", fix, "take")
        return cls(**facts, take=RuleTake(take), id=rule_id)


def _plain(postcode: str) -> str:
    return "".join(postcode.upper().split())


def _between(value: int, least: int | None, most: int | None) -> bool:
    return (least is None or value >= least) and (most is None or value <= most)


class NamedOffer(Offered, Protocol):
    """A service with its name as `carrier:service`."""

    @property
    def service(self) -> str: ...


Offer = TypeVar("Offer", bound=NamedOffer)


@dataclass(frozen=True)
class Chosen(Generic[Offer]):
    """The service that is taken, the rule that took it (None where none did), and what it is to do
    besides."""

    offer: Offer
    rule: CarriageRule | None
    extras: Extras


def take(rule: CarriageRule, offers: Sequence[Offer], promised: date | None) -> Offer | None:
    """Returns the service that a rule takes of those that are offered, or None where it takes none."""
    if rule.take == RuleTake.NAMED:
        by_name = {offer.service: offer for offer in offers}
        return next((by_name[name] for name in rule.services if name in by_name), None)
    allowed = [one for one in offers if not rule.services or one.service in rule.services]
    if not allowed:
        return None
    if rule.take == RuleTake.CHEAPEST:
        return min(allowed, key=lambda offer: (offer.price, offer.arrives))
    if rule.take == RuleTake.FASTEST:
        return min(allowed, key=lambda offer: (offer.arrives, offer.price))
    return choose_service(allowed, promised)


def choose_carriage(
    rules: Sequence[CarriageRule],
    facts: CarriageFacts,
    offers: Callable[[Extras], Sequence[Offer]],
) -> Chosen[Offer] | None:
    """Returns the service of a shipment: that of the first rule that fits it and finds one; where none
    does, the cheapest that arrives by the promised day, else the fastest. None where nothing serves.
    `offers` returns the services that serve with some extras; it is asked once for each of them."""
    known: dict[Extras, Sequence[Offer]] = {}

    def offered(extras: Extras) -> Sequence[Offer]:
        if extras not in known:
            known[extras] = offers(extras)
        return known[extras]

    for rule in rules:
        if rule.fits(facts):
            found = take(rule, offered(rule.extras), facts.promised)
            if found is not None:
                return Chosen(found, rule, rule.extras)
    found = choose_service(offered(Extras()), facts.promised)
    return None if found is None else Chosen(found, None, Extras())


@dataclass(frozen=True)
class KnownPlaces:
    """What rules can name: countries, the keys of channels and warehouses, and carrier accounts."""

    countries: frozenset[str]
    channels: frozenset[str]
    warehouses: frozenset[str]
    carriers: frozenset[str]


def check_carriage_rule(rule: CarriageRule, known: KnownPlaces) -> list[Refusal]:
    """Checks a rule before it is saved."""
    found = []
    if not 1 <= len(rule.name.strip()) <= MOST_NAME:
        message = f"“Name” must have 1 to {MOST_NAME} characters."
        found.append(Refusal("form", message, "Say in a few words what it is for.", "name"))
    for field, values, there in (
        ("countries", rule.countries, known.countries),
        ("channels", rule.channels, known.channels | {"none"}),
        ("warehouses", rule.warehouses, known.warehouses),
    ):
        if len(values) > MOST_VALUES:
            message = f"“{field.capitalize()}” must have at most {MOST_VALUES} values."
            found.append(Refusal("too-many", message, "Make two rules of it.", field))
        strange = [value for value in values if value not in there]
        if strange:
            message = f"“{strange[0][:40]}” is not known here."
            found.append(Refusal("not-found", message, "Choose one of the list.", field))
    if any(not _plain(one) or len(one) > 12 for one in rule.postcodes):
        message = "A postcode must have 1 to 12 characters."
        found.append(Refusal("form", message, "Type how it begins.", "postcodes"))
    for service in rule.services:
        carrier, _, name = service.partition(":")
        if carrier not in known.carriers or not name:
            message = f"“{service[:60]}” is no service of a connected carrier."
            found.append(Refusal("not-found", message, "Write it as carrier:service.", "services"))
    if rule.take == RuleTake.NAMED and not rule.services:
        message = "A rule that takes named services must name one."
        found.append(Refusal("missing", message, "Name the services in their order.", "services"))
    for field, least, most in (
        ("least_g", rule.least_g, rule.most_g),
        ("least_value", rule.least_value, rule.most_value),
    ):
        if any(one is not None and one < 0 for one in (least, most)):
            message = "Weights and values must not be below 0."
            found.append(Refusal("out-of-range", message, "Correct it.", field))
        elif least is not None and most is not None and least > most:
            message = "The least must not be more than the most."
            found.append(Refusal("out-of-range", message, "Correct one of them.", field))
    return found


def refuse_too_many(rules: int) -> None:
    """Refuses one more rule when there are too many."""
    if rules >= MOST_RULES:
        message = f"There are {MOST_RULES} rules, which is the most."
        raise refuse("too-many", message, "Delete one that is not used.")
