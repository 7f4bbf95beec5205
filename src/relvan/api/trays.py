"""Serves the trays of the order desk and its rules over HTTP."""

from typing import Annotated, Any

from pydantic import Field

from relvan.api.described import Flag, Id, described, described_number, described_text
from relvan.api.desk import By, Caller, api_router
from relvan.api.shapes import Shape
from relvan.core.orders.facts import Extent
from relvan.core.orders.rule_checks import MOST_DAYS
from relvan.core.orders.rule_words import in_words
from relvan.core.orders.rules import (
    PROGRESS_NAMES,
    Rule,
    RuleDeed,
    RuleEvent,
    RuleIf,
    RuleThen,
    plain_rule,
    read_rule,
    tag_of,
)
from relvan.core.orders.trays import HUES, MOST_NAME, TrayForm
from relvan.core.people.roles import Right
from relvan.core.refusal import refuse
from relvan.services.orders.rule_book import (
    RulesTried,
    delete_rule,
    order_rules,
    rule_of,
    save_rule,
    try_rules,
)
from relvan.services.orders.trays import (
    change_tray,
    create_tray,
    delete_tray,
    order_trays,
    tray_form,
    uses_of_trays,
)
from relvan.store.channels import channel_names
from relvan.store.mailing import texts_for_orders
from relvan.store.session import Session
from relvan.store.trays import rules_of, tray_by_key, trays_of

router = api_router(tags=["orders"])
TrayName = Annotated[str, Field(max_length=200), described_text(r"[A-Za-z0-9]", MOST_NAME)]
Days = Annotated[int, described_number(0, MOST_DAYS)]
Saying = Annotated[
    str, Field(max_length=1000), described_text(r"^[^\u0000-\u001f]*$", 200, least=0)
]


class NewTray(Shape):
    """A tray. `words` are what the customer reads while an order lies there; `anyway` creates it
    even if its name only repeats what progress says."""

    name: TrayName
    hue: Annotated[str, described(HUES)] = "slate"
    remind_days: Days = 0
    words: Saying = ""
    anyway: Flag = False


class TrayChange(Shape):
    """The fields of a tray that change."""

    name: TrayName | None = None
    hue: Annotated[str, described(HUES)] | None = None
    remind_days: Days | None = None
    words: Saying | None = None


@router.get("/trays")
def list_trays(by: By) -> dict[str, Any]:
    """Returns the trays in their order, each with how many orders lie there."""
    uses = uses_of_trays(by.workplace)
    with by.workplace.database.reading() as session:
        rows = [(row.key, tray_form(row)) for row in trays_of(session)]
    items = [{"tray": key, **vars(form), "orders": uses[key].orders} for key, form in rows]
    return {"items": items, "next": None}


@router.post("/trays", status_code=201)
def post_tray(by: By, wish: NewTray) -> dict[str, Any]:
    """Creates a tray."""
    form = TrayForm(wish.name, wish.hue, wish.remind_days, wish.words)
    return _tray(by, create_tray(by.workplace, by.actor, form, anyway=wish.anyway))


class TrayOrder(Shape):
    """All trays by their keys, in the order in which they are to stand."""

    trays: list[Annotated[str, Field(max_length=100)]] = Field(max_length=500)


@router.put("/trays/order")
def put_tray_order(by: By, wish: TrayOrder) -> dict[str, Any]:
    """Puts the trays in another order; returns them all."""
    order_trays(by.workplace, by.actor, wish.trays)
    return list_trays(by)


@router.patch("/trays/{tray}")
def patch_tray(by: By, tray: str, change: TrayChange) -> dict[str, Any]:
    """Changes a tray; its key stays."""
    by.actor.must(Right.ORDERS)
    with by.workplace.database.reading() as session:
        before = vars(tray_form(tray_by_key(session, tray)))
    change_tray(
        by.workplace, by.actor, tray, TrayForm(**before | change.model_dump(exclude_none=True))
    )
    return _tray(by, tray)


@router.delete("/trays/{tray}")
def delete_tray_call(by: By, tray: str, to: str = "") -> dict[str, Any]:
    """Deletes a tray; its orders go to the tray `to`, and rules and channels name that one."""
    return {"moved": delete_tray(by.workplace, by.actor, tray, to)}


def _tray(by: Caller, key: str) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        return {"tray": key, **vars(tray_form(tray_by_key(session, key)))}


Texts = Annotated[list[Annotated[str, Field(max_length=100)]], Field(max_length=100)]
Extents = Annotated[list[Annotated[str, described(Extent)]], Field(max_length=3)]
Whole = Annotated[int, described_number(0, 2_000_000_000)]


class RuleProgress(Shape):
    """The progress that a rule asks for; of several values one is enough."""

    reserved: Extents = []
    picked: Extents = []
    shipped: Extents = []
    invoiced: Extents = []
    paid: Extents = []


class RuleConditions(Shape):
    """What must be so of an order; what is empty is not asked for. Amounts are in minor units, and
    the channel `none` stands for orders taken by hand."""

    channels: Texts = []
    countries: Texts = []
    trays: Texts = []
    tags: Texts = []
    at_least: Whole | None = None
    at_most: Whole | None = None
    least_lines: Whole | None = None
    most_lines: Whole | None = None
    progress: RuleProgress = RuleProgress()


class RuleDeedShape(Shape):
    """One thing that a rule does, with a tray, a reason, a tag or words, and for how many days an
    order is set aside."""

    deed: Annotated[str, described(RuleDeed)]
    value: Saying = ""
    days: Days = 0


class RuleShape(Shape):
    """A rule of the order desk: when this happens, and if that is so, do this."""

    name: Annotated[str, Field(max_length=400), described_text(r"[A-Za-z0-9]", 80)]
    when: Annotated[str, described(RuleEvent)]
    days: Days = 0
    active: Flag = True
    only: RuleConditions = RuleConditions()
    then: Annotated[list[RuleDeedShape], Field(max_length=8, json_schema_extra={"minItems": 1})]


class RuleChange(Shape):
    """The fields of a rule that change."""

    name: Annotated[str, Field(max_length=400), described_text(r"[A-Za-z0-9]", 80)] | None = None
    when: Annotated[str, described(RuleEvent)] | None = None
    days: Days | None = None
    active: Flag | None = None
    only: RuleConditions | None = None
    then: (
        Annotated[list[RuleDeedShape], Field(max_length=8, json_schema_extra={"minItems": 1})]
        | None
    ) = None


class RulesTrial(Shape):
    """A rule that is to be tried, saved or not; without one, all rules are."""

    rule: RuleShape | None = None


def _rule_of(told: dict[str, Any], rule_id: int = 0) -> Rule:
    """Returns the rule that plain data describes; unknown words in it are refused."""
    if told["when"] not in set(RuleEvent):
        raise _not_one_of("when", told["when"], tuple(RuleEvent))
    for then in told["then"]:
        if then["deed"] not in set(RuleDeed):
            raise _not_one_of("then", then["deed"], tuple(RuleDeed))
    rule = read_rule(told, rule_id)
    only = rule.only
    return Rule(
        rule.name,
        rule.when,
        tuple(_tidy(then) for then in rule.then),
        RuleIf(
            only.channels,
            tuple(country.upper() for country in only.countries),
            only.trays,
            tuple(tag for text in only.tags if (tag := tag_of(text))),
            only.at_least,
            only.at_most,
            only.least_lines,
            only.most_lines,
            {name: only.progress[name] for name in PROGRESS_NAMES if only.progress.get(name)},
        ),
        rule.days,
        rule.active,
        rule.id,
    )


def _tidy(then: RuleThen) -> RuleThen:
    return RuleThen(then.deed, tag_of(then.value), 0) if then.deed == RuleDeed.TAG else then


def _not_one_of(field: str, value: str, values: tuple[str, ...]) -> Exception:
    message = f"“{field}” must be one of {', '.join(values)}; it got “{value[:30]}”."
    return refuse("not-allowed", message, "Choose one of them.", field)


@router.get("/rules")
def list_rules(by: By) -> dict[str, Any]:
    """Returns the rules in the order in which they are asked, each also in words."""
    with by.workplace.database.reading() as session:
        rules = rules_of(session)
        names = _names(by, session)
    return {"items": [_rule(rule, names) for rule in rules], "next": None}


@router.post("/rules", status_code=201)
def post_rule(by: By, wish: RuleShape) -> dict[str, Any]:
    """Creates a rule as the last one. Rules that could go round in a circle are refused."""
    return _saved(by, save_rule(by.workplace, by.actor, _rule_of(wish.model_dump())))


class OrderRulesOrder(Shape):
    """All rules by their ids, in the order in which they are to be asked."""

    rules: list[Id] = Field(max_length=1000)


@router.put("/rules/order")
def put_rule_order(by: By, wish: OrderRulesOrder) -> dict[str, Any]:
    """Puts the rules in another order; returns them all."""
    order_rules(by.workplace, by.actor, wish.rules)
    return list_rules(by)


@router.patch("/rules/{rule_id}")
def patch_rule(by: By, rule_id: Id, change: RuleChange) -> dict[str, Any]:
    """Changes a rule."""
    by.actor.must(Right.ORDERS)
    with by.workplace.database.reading() as session:
        before = plain_rule(rule_of(session, rule_id))
    told = before | change.model_dump(exclude_none=True)
    return _saved(by, save_rule(by.workplace, by.actor, _rule_of(told, rule_id)))


@router.delete("/rules/{rule_id}", status_code=204)
def delete_rule_call(by: By, rule_id: Id) -> None:
    """Deletes a rule."""
    delete_rule(by.workplace, by.actor, rule_id)


@router.post("/rules/try")
def post_rules_try(by: By, wish: RulesTrial) -> dict[str, Any]:
    """Says what each rule would do to the last 500 orders, each as it is now; nothing is changed."""
    rule = _rule_of(wish.rule.model_dump()) if wish.rule else None
    return _tried(by, try_rules(by.workplace, rule))


def _tried(by: Caller, tried: RulesTried) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        names = _names(by, session)
    return {
        "orders": tried.orders,
        "rules": [
            {
                "rule": _rule(one.rule, names),
                "numbers": list(one.numbers),
                "not_for": dict(one.kept),
            }
            for one in tried.rules
        ],
    }


def _saved(by: Caller, rule_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        return _rule(rule_of(session, rule_id), _names(by, session))


Names = tuple[dict[str, str], dict[str, str], dict[str, str]]


def _names(by: Caller, session: Session) -> Names:
    """Returns the names of trays, of channels and of texts of mails by their keys."""
    trays = {key: name for key, (name, _) in by.workplace.tray_names().items()}
    texts = {str(text.id): text.name for text in texts_for_orders(session)}
    return trays, dict(channel_names(session, ended=True)), texts


def _rule(rule: Rule, names: Names) -> dict[str, Any]:
    return {"id": rule.id, **plain_rule(rule), "words": in_words(rule, *names[:2], texts=names[2])}
