"""Serves the seller's rules of carriage over HTTP: writing them, their order, and trying them."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Named, described, described_text
from relvan.api.desk import By, Caller, api_router
from relvan.api.shapes import Shape, amount_of
from relvan.core.people.roles import Right
from relvan.core.shipping.carriage import MOST_NAME, MOST_VALUES, CarriageRule, RuleTake
from relvan.core.texts import WORDS
from relvan.services.shipping.carriage import (
    CarriageTried,
    carriage_rule,
    delete_carriage_rule,
    order_carriage_rules,
    save_carriage_rule,
    try_carriage,
)
from relvan.store.carriage import carriage_rules

router = api_router(tags=["set-up"])
Grams = Annotated[int, Field(ge=0, le=10**9)]
Minor = Annotated[int, Field(ge=0, le=10**12)]
Texts = Annotated[list[Annotated[str, Field(max_length=100)]], Field(max_length=MOST_VALUES)]
RuleName = Annotated[str, Field(max_length=200), described_text(WORDS, MOST_NAME)]
Take = Annotated[str, described(RuleTake)]


class CarriageRuleShape(Shape):
    """A rule of carriage. What is empty is not asked for. Weights are in grams, values in minor units of
    the order's currency; services are written as `carrier:service`, postcodes by how they begin, and
    `none` as a channel is for orders by hand."""

    name: RuleName
    take: Take = "promised"
    services: Texts = []
    countries: Texts = []
    postcodes: Texts = []
    channels: Texts = []
    warehouses: Texts = []
    least_g: Grams | None = None
    most_g: Grams | None = None
    least_value: Minor | None = None
    most_value: Minor | None = None
    signature: bool = False
    insured: bool = False
    active: bool = True


class CarriageRuleChange(Shape):
    """What is to change of a rule of carriage; what is left out stays."""

    name: RuleName | None = None
    take: Take | None = None
    services: Texts | None = None
    countries: Texts | None = None
    postcodes: Texts | None = None
    channels: Texts | None = None
    warehouses: Texts | None = None
    least_g: Grams | None = None
    most_g: Grams | None = None
    least_value: Minor | None = None
    most_value: Minor | None = None
    signature: bool | None = None
    insured: bool | None = None
    active: bool | None = None


class RuleOrder(Shape):
    """Every rule once, in the order in which they are asked."""

    ids: list[Named] = Field(max_length=1000)


def _told(rule: CarriageRule) -> dict[str, Any]:
    return {"id": rule.id, **rule.as_dict()}


def _one(by: Caller, rule_id: int) -> dict[str, Any]:
    return _told(carriage_rule(by.workplace, rule_id))


@router.get("/carriage-rules")
def list_rules_of_carriage(by: By) -> dict[str, Any]:
    """Returns all rules of carriage in the order in which they are asked."""
    by.actor.must(Right.SETUP)
    with by.workplace.database.reading() as session:
        rules = carriage_rules(session)
    return {"items": [_told(rule) for rule in rules], "next": None}


@router.post("/carriage-rules", status_code=201)
def post_rule_of_carriage(by: By, wish: CarriageRuleShape) -> dict[str, Any]:
    """Creates a rule of carriage, the last one to be asked."""
    rule = CarriageRule.read(wish.model_dump())
    return _one(by, save_carriage_rule(by.workplace, by.actor, rule))


@router.post("/carriage-rules/order")
def post_order_of_rules(by: By, wish: RuleOrder) -> dict[str, Any]:
    """Puts the rules of carriage in an order."""
    order_carriage_rules(by.workplace, by.actor, wish.ids)
    return list_rules_of_carriage(by)


@router.post("/carriage-rules/try")
def post_try_of_carriage(by: By, wish: CarriageRuleShape | None = None) -> dict[str, Any]:
    """Says what the shipments of the last 30 days would cost by the rules, with a further rule asked first
    when one is given; nothing is bought or changed."""
    by.actor.must(Right.SETUP)
    rule = CarriageRule.read(wish.model_dump()) if wish else None
    return _tried(try_carriage(by.workplace, rule))


def _tried(tried: CarriageTried) -> dict[str, Any]:
    return {
        "shipments": [
            {
                "shipment": one.number,
                "took": one.took,
                "cost": amount_of(one.cost, one.currency),
                "would_take": one.would_take,
                "would_cost": amount_of(one.would_cost, one.currency),
                "rule": one.rule or None,
            }
            for one in tried.shipments
        ],
        "changed": tried.changed,
        "left_out": tried.left_out,
    }


@router.patch("/carriage-rules/{rule_id}")
def patch_rule_of_carriage(by: By, rule_id: int, change: CarriageRuleChange) -> dict[str, Any]:
    """Changes a rule of carriage."""
    by.actor.must(Right.SETUP)
    before = carriage_rule(by.workplace, rule_id).as_dict()
    told = {**before, **change.model_dump(exclude_unset=True)}
    lacking = [name for name in ("name", "take", "active") if told[name] is None]
    told |= {name: before[name] for name in lacking}
    lists = ("services", "countries", "postcodes", "channels", "warehouses")
    told |= {name: told[name] or [] for name in lists}
    told |= {name: bool(told[name]) for name in ("signature", "insured")}
    save_carriage_rule(by.workplace, by.actor, CarriageRule.read(told, rule_id))
    return _one(by, rule_id)


@router.delete("/carriage-rules/{rule_id}")
def delete_rule_of_carriage(by: By, rule_id: int) -> dict[str, Any]:
    """Deletes a rule of carriage."""
    delete_carriage_rule(by.workplace, by.actor, rule_id)
    return {"deleted": rule_id}
