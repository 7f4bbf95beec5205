"""The seller's rules of carriage: writing them, choosing the service of a shipment by them, and trying what
they would have cost. `label_shipment` buys by them and does what the account says comes after.
"""

from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import timedelta

from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, not_found, refuse, refuse_if_any
from relvan.core.setup.countries import country_names
from relvan.core.shipping.accounts import AccountUse, AfterLabel
from relvan.core.shipping.carriage import (
    CarriageRule,
    Chosen,
    Extras,
    KnownPlaces,
    check_carriage_rule,
    choose_carriage,
    refuse_too_many,
)
from relvan.services import audit
from relvan.services.shipping.asking import (
    Quoting,
    Service,
    ShipmentAsk,
    ask_about,
    ask_desk,
    build_ask,
    quoting,
    services_for,
)
from relvan.services.shipping.dispatch import dispatch_shipments
from relvan.services.shipping.labels import buy_labels
from relvan.services.workplace import Actor, Workplace
from relvan.store.carriage import (
    carriage_rule_row,
    carriage_rule_rows,
    carriage_rules,
    declared_goods,
    parcels_of_many,
    sent_shipments,
)
from relvan.store.channels import carriers, channel_names, find_carrier, service_names
from relvan.store.session import Session
from relvan.store.stock import warehouses
from relvan.store.tables import CarriageRuleRow, Parcel, Shipment

SUBJECT = audit.Subject("carriage rules", 0)
TRIED_DAYS, MOST_TRIED, AT_ONCE = 30, 200, 8


def save_carriage_rule(workplace: Workplace, actor: Actor, rule: CarriageRule) -> int:
    """Adds a rule, or changes the one with its id; returns the id.

    Raises:
        Refused: if the rule cannot be.
    """
    actor.must(Right.SETUP)
    rule = replace(rule, name=rule.name.strip())
    with workplace.database.writing() as session:
        refuse_if_any(check_carriage_rule(rule, _known_places(session)))
        if rule.id:
            row = carriage_rule_row(session, rule.id)
            row.rule = rule.as_dict()
        else:
            rows = carriage_rule_rows(session)
            refuse_too_many(len(rows))
            row = CarriageRuleRow(position=len(rows), rule=rule.as_dict())
            session.add(row)
        session.flush()
        deed = f"rule of carriage “{rule.name}” {'changed' if rule.id else 'created'}"
        audit.record(session, actor, workplace.now(), SUBJECT, deed)
        return row.id


def _known_places(session: Session) -> KnownPlaces:
    return KnownPlaces(
        frozenset(country_names("en")),
        frozenset(key for key, _ in channel_names(session, ended=True)),
        frozenset(one.key for one in warehouses(session)),
        frozenset(one.key for one in carriers(session)),
    )


def carriage_rule(workplace: Workplace, rule_id: int) -> CarriageRule:
    """Returns a rule by its id."""
    with workplace.database.reading() as session:
        row = carriage_rule_row(session, rule_id)
        return CarriageRule.read(row.rule, row.id)


def order_carriage_rules(workplace: Workplace, actor: Actor, ids: Sequence[int]) -> None:
    """Puts the rules in an order; every rule must be named once."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        rows = {row.id: row for row in carriage_rule_rows(session)}
        if sorted(ids) != sorted(rows):
            message = "The order must name every rule once."
            raise refuse("not-allowed", message, "Load the page again.", "rules")
        for position, rule_id in enumerate(ids):
            rows[rule_id].position = position


def delete_carriage_rule(workplace: Workplace, actor: Actor, rule_id: int) -> None:
    """Deletes a rule. One that is gone already is not found."""
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = carriage_rule_row(session, rule_id)
        deed = f"rule of carriage “{row.rule['name']}” deleted"
        session.delete(row)
        audit.record(session, actor, workplace.now(), SUBJECT, deed)


def chosen_service(workplace: Workplace, shipment_id: int) -> Chosen[Service]:
    """Returns the service of a shipment by the rules; where none of them takes one, the cheapest that
    arrives by the promised day, else the fastest.

    Raises:
        Refused: if no service takes all of its parcels, or a carrier does not answer.
    """
    with workplace.database.reading() as session:
        ask, rules = ask_about(session, workplace, shipment_id), carriage_rules(session)
    found = _choose(rules, ask, quoting(workplace))
    if found is None:
        raise refuse("no-service", "No service takes this shipment.", "Look at its parcels.")
    return found


@dataclass(frozen=True)
class OfferedServices:
    """The services that take a shipment, the cheapest first; the one that the rules choose of them, with
    the rule; and what they are to do besides."""

    services: tuple[Service, ...]
    chosen: Chosen[Service] | None
    extras: Extras


def offered_services(
    workplace: Workplace, shipment_id: int, extras: Extras | None = None
) -> OfferedServices:
    """Returns the services that take every parcel of a shipment, with what the rules want besides, or
    with the extras that are given.

    Raises:
        Refused: if nothing is packed, or a carrier does not answer.
    """
    with workplace.database.reading() as session:
        ask, rules = ask_about(session, workplace, shipment_id), carriage_rules(session)
    quote = quoting(workplace)
    chosen = _choose(rules, ask, quote)
    wanted = extras or (chosen.extras if chosen else Extras())
    found = services_for(ask.with_extras(wanted), quote)
    return OfferedServices(tuple(found), chosen if extras in (None, wanted) else None, wanted)


def _choose(
    rules: Sequence[CarriageRule], ask: ShipmentAsk, quote: Quoting
) -> Chosen[Service] | None:
    def offers(extras: Extras) -> list[Service]:
        return services_for(ask.with_extras(extras), quote)

    return choose_carriage(rules, ask.facts, offers)


@dataclass(frozen=True)
class Labelled:
    """The tracking numbers of a shipment, the words of its service, and whether it was dispatched."""

    numbers: tuple[str, ...]
    words: str
    dispatched: bool


def label_shipment(
    workplace: Workplace,
    actor: Actor,
    shipment_id: int,
    service: str = "",
    extras: Extras | None = None,
) -> Labelled:
    """Buys the labels of a shipment, by the rules where no service is named, and then does what the
    carrier account says comes after."""
    words = ""
    if service:
        extras = extras or Extras()
    else:
        chosen = chosen_service(workplace, shipment_id)
        service, extras = chosen.offer.service, chosen.extras
        words = f"{chosen.offer.carrier} {chosen.offer.name}"
        words += f", by the rule “{chosen.rule.name}”" if chosen.rule else ""
    numbers = buy_labels(workplace, actor, shipment_id, service, extras)
    with workplace.database.reading() as session:
        account = find_carrier(session, service.partition(":")[0])
        words = words or service_names(session).get(service, service)
        use = AccountUse.read(account.use if account else {})
    if use.after_label != AfterLabel.DISPATCH:
        return Labelled(tuple(numbers), words, False)
    (verdict,) = dispatch_shipments(workplace, actor, [shipment_id])
    if not verdict.ok:
        words += f". It was not dispatched: {verdict.message}"
    return Labelled(tuple(numbers), words, verdict.ok)


@dataclass(frozen=True)
class TriedShipment:
    """A shipment of the last weeks: what it took and cost, and what the rules would take now and what that
    costs, in minor units of the carriage's currency."""

    number: str
    country: str
    weight_g: int
    took: str
    cost: int
    would_take: str
    would_cost: int
    rule: str
    currency: str


@dataclass(frozen=True)
class CarriageTried:
    """What the rules would have made of the shipments of the last weeks; those that no service takes any
    more, or whose carrier did not answer, are counted as left out."""

    shipments: tuple[TriedShipment, ...]
    left_out: int

    @property
    def cost(self) -> int:
        """What carriage cost."""
        return sum(one.cost for one in self.shipments)

    @property
    def would_cost(self) -> int:
        """What it would have cost by the rules."""
        return sum(one.would_cost for one in self.shipments)

    @property
    def by_rule(self) -> list[tuple[str, int]]:
        """For how many shipments each rule chooses, the most first; without a name where none does."""
        return Counter(one.rule for one in self.shipments).most_common()

    @property
    def changed(self) -> int:
        """How many shipments would have taken another service."""
        return sum(one.took != one.would_take for one in self.shipments)


def try_carriage(workplace: Workplace, rule: CarriageRule | None = None) -> CarriageTried:
    """Asks carriers what the shipments of the last 30 days would cost by the rules; nothing is bought or
    changed. A rule that is given takes its place, or comes first when it is new.

    Raises:
        Refused: if that rule cannot be.
    """
    since = workplace.now() - timedelta(days=TRIED_DAYS)
    with workplace.database.reading() as session:
        rules = carriage_rules(session)
        if rule is not None:
            refuse_if_any(check_carriage_rule(rule, _known_places(session)))
            known = {one.id for one in rules}
            if rule.id and rule.id not in known:
                raise not_found("rule of carriage", rule.id)
            rules = (
                [rule if one.id == rule.id else one for one in rules] if rule.id else [rule, *rules]
            )
        shipments = sent_shipments(session, since, MOST_TRIED)
        parcels = parcels_of_many(session, [one.id for one in shipments])
        goods = declared_goods(session, [p.id for many in parcels.values() for p in many])
        desk = ask_desk(session, workplace)
        asks = [
            (one, parcels[one.id], build_ask(session, desk, one, parcels[one.id], goods))
            for one in shipments
        ]
    quote = quoting(workplace)

    def tried(told: tuple[Shipment, list[Parcel], ShipmentAsk]) -> TriedShipment | None:
        shipment, own, ask = told
        try:
            chosen = _choose(rules, ask, quote)
        except Refused:
            return None
        return None if chosen is None else _compared(shipment, own, ask, chosen)

    with ThreadPoolExecutor(AT_ONCE) as pool:
        found = list(pool.map(tried, asks))
    kept = tuple(one for one in found if one is not None)
    return CarriageTried(kept, len(found) - len(kept))


def _compared(
    shipment: Shipment, parcels: Sequence[Parcel], ask: ShipmentAsk, chosen: Chosen[Service]
) -> TriedShipment:
    keys = {account.id: account.key for account in ask.accounts}
    took = f"{keys.get(parcels[0].carrier_id or 0, '')}:{parcels[0].service}"
    return TriedShipment(
        shipment.number,
        ask.facts.country,
        ask.facts.weight_g,
        took,
        sum(parcel.price or 0 for parcel in parcels),
        chosen.offer.service,
        chosen.offer.price,
        chosen.rule.name if chosen.rule else "",
        chosen.offer.currency,
    )
