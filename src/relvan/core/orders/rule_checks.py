"""Checks the rules of the order desk before they are saved. A set of rules that can go round in a
circle is refused, so that running rules always ends.
"""

from collections.abc import Collection, Mapping, Sequence

from relvan.core.orders.facts import Extent
from relvan.core.orders.rules import (
    PROGRESS_NAMES,
    Rule,
    RuleDeed,
    RuleEvent,
    RuleIf,
    RuleThen,
    tag_of,
)
from relvan.core.refusal import Refusal, Refused

MOST_RULES = 100
MOST_NAME = 80
MOST_DAYS = 365
# a deed that needs a value, and what the value is called
DEED_VALUES: Mapping[RuleDeed, str] = {
    RuleDeed.MOVE: "tray",
    RuleDeed.SET_ASIDE: "reason",
    RuleDeed.TAG: "tag",
    RuleDeed.NOTIFY: "words",
    RuleDeed.MAIL: "text",
}
# what a deed can make happen
LEADS_TO: Mapping[RuleDeed, tuple[RuleEvent, ...]] = {
    RuleDeed.MOVE: (RuleEvent.WAITED,),
    RuleDeed.RESERVE: (RuleEvent.RESERVED, RuleEvent.SHORT),
    RuleDeed.RELEASE: (RuleEvent.RELEASED,),
    RuleDeed.INVOICE: (RuleEvent.INVOICED,),
    RuleDeed.MAIL: (RuleEvent.MAILED,),
}


def check_order_rule(
    rule: Rule, trays: Collection[str], channels: Collection[str], texts: Collection[str] = ()
) -> list[Refusal]:
    """Checks one rule; `trays` and `channels` are the keys that there are, `texts` the ids of the
    texts of mails."""
    found = [*_check_head(rule), *_check_only(rule.only, trays, channels)]
    if not rule.then:
        found.append(Refusal("missing", "The rule does nothing.", "Choose what it does.", "then"))
    for then in rule.then:
        found += _check_then(then, trays, texts)
    return found


def _check_head(rule: Rule) -> list[Refusal]:
    found = []
    if not 1 <= len(rule.name.strip()) <= MOST_NAME:
        message = f"“Name” must have 1 to {MOST_NAME} characters."
        found.append(Refusal("form", message, "Say in a few words what the rule is for.", "name"))
    if rule.when == RuleEvent.WAITED and not 1 <= rule.days <= MOST_DAYS:
        message = f"“Days” must be 1 to {MOST_DAYS}; it got {rule.days}."
        found.append(Refusal("out-of-range", message, "Type after how many days.", "days"))
    return found


def _check_only(only: RuleIf, trays: Collection[str], channels: Collection[str]) -> list[Refusal]:
    found = []
    for name, values, known in (
        ("trays", only.trays, trays),
        ("channels", only.channels, {*channels, "none"}),
    ):
        found += [
            Refusal("not-found", f"There is no {name[:-1]} “{value}”.", "Choose another.", name)
            for value in values
            if value not in known
        ]
    for country in only.countries:
        if len(country) != 2 or not country.isalpha() or not country.isupper():
            message = f"“{country[:10]}” is not the code of a country."
            found.append(Refusal("form", message, "Type two letters like NL.", "countries"))
    for low, high, name in (
        (only.at_least, only.at_most, "at_most"),
        (only.least_lines, only.most_lines, "most_lines"),
    ):
        if low is not None and high is not None and low > high:
            message = "The least is more than the most, so no order can be like that."
            found.append(Refusal("out-of-range", message, "Correct one of them.", name))
    for name, extents in only.progress.items():
        if name not in PROGRESS_NAMES or not set(extents) <= set(Extent):
            message = f"“{name[:20]}” must be one of the kinds of progress, and none, part or all."
            found.append(Refusal("not-allowed", message, "Choose from the list.", "progress"))
    return found


def _check_then(then: RuleThen, trays: Collection[str], texts: Collection[str]) -> list[Refusal]:
    wants = DEED_VALUES.get(then.deed, "")
    value = then.value.strip()
    if wants and not value:
        message = f"“{then.deed}” needs a {wants}."
        return [Refusal("missing", message, "Fill it in.", "then")]
    if then.deed == RuleDeed.MOVE and (value not in trays or value == "cancelled"):
        message = f"No order can be moved to “{value[:30]}”."
        return [Refusal("not-found", message, "Choose a tray of the desk.", "then")]
    if then.deed == RuleDeed.MAIL and value not in texts:
        message = f"There is no text of a mail “{value[:30]}”."
        return [Refusal("not-found", message, "Choose one that is written under Setup.", "then")]
    if then.deed == RuleDeed.TAG and tag_of(value) != value:
        message = f"“{value[:40]}” is no tag."
        return [Refusal("form", message, "Use small letters, digits and hyphens.", "then")]
    if then.deed == RuleDeed.SET_ASIDE and not 1 <= then.days <= MOST_DAYS:
        message = f"An order is set aside for 1 to {MOST_DAYS} days; it got {then.days}."
        return [Refusal("out-of-range", message, "Type for how many days.", "then")]
    if len(value) > 200:
        return [Refusal("too-long", "A reason has at most 200 characters.", "Shorten it.", "then")]
    return []


def circle_of(rules: Sequence[Rule]) -> list[Rule]:
    """Returns rules that can set each other off in a circle, in that order, or nothing.

    A rule leads to another if one of its deeds can make happen what the other waits for, and the
    tray to which it moves an order, if it moves it, is one that the other asks for.
    """
    active = [rule for rule in rules if rule.active]
    follows = {
        at: [to for to, other in enumerate(active) if _leads(rule, other)]
        for at, rule in enumerate(active)
    }
    done: set[int] = set()

    def walk(at: int, path: list[int]) -> list[int]:
        if at in path:
            return path[path.index(at) :]
        if at in done:
            return []
        for to in follows[at]:
            if circle := walk(to, [*path, at]):
                return circle
        done.add(at)
        return []

    for at in range(len(active)):
        if circle := walk(at, []):
            return [active[one] for one in circle]
    return []


def _leads(rule: Rule, other: Rule) -> bool:
    moved = next((then.value for then in reversed(rule.then) if then.deed == RuleDeed.MOVE), "")
    if moved and other.only.trays and moved not in other.only.trays:
        return False
    return any(other.when in LEADS_TO.get(then.deed, ()) for then in rule.then)


def refuse_circle(rules: Sequence[Rule]) -> None:
    """Refuses a set of rules that can go round in a circle.

    Raises:
        Refused: with the names of the rules of the circle in their order.
    """
    circle = circle_of(rules)
    if circle:
        names = " → ".join(f"“{rule.name}”" for rule in [*circle, circle[0]])
        message = f"These rules would go round in a circle: {names}."
        fix = "Change or switch off one of them."
        raise Refused(Refusal("circle", message, fix, "when"))
