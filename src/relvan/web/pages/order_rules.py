"""Serves the page of rules of the order desk: writing them, trying them, and putting them in order."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.orders.rule_words import DEED_WORDS, EVENT_WORDS, in_words
from relvan.core.orders.rules import (
    PROGRESS_NAMES,
    Rule,
    RuleDeed,
    RuleEvent,
    RuleIf,
    RuleThen,
    tag_of,
)
from relvan.core.orders.trays import Tray
from relvan.core.refusal import Refused, refuse
from relvan.services.orders.rule_book import (
    RulesTried,
    delete_rule,
    order_rules,
    rule_of,
    save_rule,
    try_rules,
)
from relvan.store.channels import channel_names
from relvan.store.mailing import texts_for_orders
from relvan.store.trays import rules_of
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import FormReader

router = APIRouter(prefix="/orders/rules")
MOST_THEN = 4
NEW = Rule("", RuleEvent.TAKEN, ())


@router.get("", name="rule_index")
def rule_index(desk: At, rule: int = 0) -> HTMLResponse:
    """Shows all rules, and the form of one of them or of a new one."""
    with desk.workplace.database.reading() as session:
        shown = rule_of(session, rule) if rule else NEW
    return _page(desk, shown)


def _page(
    desk: Desk, shown: Rule, refused: Refused | None = None, tried: RulesTried | None = None
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        rules, channels = rules_of(session), dict(channel_names(session, ended=True))
        texts = {str(text.id): text.name for text in texts_for_orders(session)}
    trays = {key: name for key, (name, _) in desk.workplace.tray_names().items()}
    refusals = refused.refusals if refused else ()
    thens = [*shown.then, *([None] * MOST_THEN)][:MOST_THEN]

    def told(rule: Rule) -> str:
        money = desk.environment.filters["money"]
        return in_words(rule, trays, channels, money, texts)

    values: dict[str, Any] = {
        "rules": [(rule, told(rule)) for rule in rules],
        "shown": shown,
        "thens": thens,
        "events": EVENT_WORDS,
        "deeds": DEED_WORDS,
        "progress": PROGRESS_NAMES,
        "channels": channels,
        "trays": trays,
        "movable": {key: name for key, name in trays.items() if key != Tray.CANCELLED},
        "texts": texts,
        "tried": tried,
        "told": told,
        "refusals": refusals,
        "errors": first_by_field(refusals),
    }
    return desk.page("orders/rules.html", "orders", status=422 if refused else 200, **values)


def read_rule_form(desk: Desk, form: PostedForm) -> Rule:
    """Returns the rule that a form describes; what cannot be read is refused, never left out."""
    read = FormReader(form)
    currency = desk.workplace.firm.currency
    days = read.whole("days", "Days") or 0
    least, most = read.whole("least_lines", "Lines"), read.whole("most_lines", "Lines")
    at_least, at_most = read.amount("at_least", currency), read.amount("at_most", currency)
    then = []
    for place in range(MOST_THEN):
        deed = form.get(f"deed-{place}", "")
        if not deed:
            continue
        if deed not in set(RuleDeed):
            raise refuse("not-allowed", f"There is no deed “{deed[:20]}”.", "Choose one.", "then")
        aside = read.whole(f"for-{place}", "For days") or 0
        then.append(_then(RuleDeed(deed), form, place, aside))
    read.raise_if_refused()
    event = form.get("when", "")
    if event not in set(RuleEvent):
        raise refuse("not-allowed", f"Nothing is called “{event[:20]}”.", "Choose one.", "when")
    only = RuleIf(
        channels=tuple(form.all("channel")),
        countries=tuple(form.get("countries", "").upper().replace(",", " ").split()),
        trays=tuple(form.all("tray")),
        tags=tuple(tag for text in form.get("tags", "").split(",") if (tag := tag_of(text))),
        at_least=at_least,
        at_most=at_most,
        least_lines=least,
        most_lines=most,
        progress={
            name: tuple(values)
            for name in PROGRESS_NAMES
            if (values := form.all(f"progress-{name}"))
        },
    )
    rule_id = form.id_of("id") or 0
    active = form.get("active") == "yes"
    return Rule(read.text("name"), RuleEvent(event), tuple(then), only, days, active, rule_id)


def _then(deed: RuleDeed, form: PostedForm, place: int, days: int) -> RuleThen:
    """Returns one deed of the form; the days count only where an order is set aside."""
    if deed == RuleDeed.MOVE:
        return RuleThen(deed, form.get(f"to-{place}", ""))
    if deed == RuleDeed.MAIL:
        return RuleThen(deed, form.get(f"text-{place}", ""))
    value = form.get(f"value-{place}", "").strip()
    if deed == RuleDeed.TAG:
        return RuleThen(deed, tag_of(value))
    if deed == RuleDeed.SET_ASIDE:
        return RuleThen(deed, value, days)
    return RuleThen(deed, value if deed == RuleDeed.NOTIFY else "")


@router.post("", name="rule_save")
def rule_save(desk: At, form: Form) -> Response:
    """Saves a rule, or shows what it would have done when it is only to be tried."""
    rule = NEW
    try:
        rule = read_rule_form(desk, form)
        if form.get("try"):
            return _page(desk, rule, tried=try_rules(desk.workplace, rule))
        save_rule(desk.workplace, desk.actor, rule)
    except Refused as refused:
        return _page(desk, rule, refused)
    return desk.done("/orders/rules", f"The rule “{rule.name}” is saved.")


@router.post("/try", name="rule_try")
def rule_try(desk: At, form: Form) -> HTMLResponse:
    """Shows what every rule would do to the last orders."""
    return _page(desk, NEW, tried=try_rules(desk.workplace))


@router.post("/order", name="rule_order")
def rule_order(desk: At, form: Form) -> Response:
    """Saves the order of the rules."""
    order_rules(desk.workplace, desk.actor, form.ids("rule"))
    return desk.done("/orders/rules", "The order of the rules is saved.")


@router.post("/{rule_id}/delete", name="rule_delete")
def rule_delete(desk: At, form: Form, rule_id: int) -> Response:
    """Deletes a rule."""
    rule = delete_rule(desk.workplace, desk.actor, rule_id)
    return desk.done("/orders/rules", f"The rule “{rule.name}” is deleted.")
