"""Says a rule of the order desk in words."""

from collections.abc import Callable, Mapping, Sequence

from relvan.core.orders.facts import Extent
from relvan.core.orders.rules import Rule, RuleDeed, RuleEvent, RuleIf, RuleThen

EVENT_WORDS: Mapping[RuleEvent, str] = {
    RuleEvent.TAKEN: "an order is taken in",
    RuleEvent.RESERVED: "an order is reserved in full",
    RuleEvent.SHORT: "an order is short of stock",
    RuleEvent.RELEASED: "it is released to the warehouse",
    RuleEvent.SHIPPED: "all of it is shipped",
    RuleEvent.INVOICED: "all of it is invoiced",
    RuleEvent.PAID: "it is paid in full",
    RuleEvent.CANCELLED: "the channel cancels it",
    RuleEvent.MAILED: "a mail about it was sent",
    RuleEvent.WAITED: "it has waited in its tray",
}
DEED_WORDS: Mapping[RuleDeed, str] = {
    RuleDeed.MOVE: "move it to",
    RuleDeed.SET_ASIDE: "set it aside because of",
    RuleDeed.TAG: "tag it",
    RuleDeed.RESERVE: "reserve it",
    RuleDeed.RELEASE: "release it",
    RuleDeed.INVOICE: "invoice it",
    RuleDeed.NOTIFY: "remind the team of",
    RuleDeed.MAIL: "mail the customer",
}


def in_words(
    rule: Rule,
    trays: Mapping[str, str],
    channels: Mapping[str, str],
    money: Callable[[int], str] = str,
    texts: Mapping[str, str] | None = None,
) -> str:
    """Returns a rule as one sentence, with the names of trays and channels."""
    when = EVENT_WORDS[rule.when]
    if rule.when == RuleEvent.WAITED:
        when = f"it has waited {rule.days} {'day' if rule.days == 1 else 'days'} in its tray"
    conditions = _conditions_in_words(rule.only, trays, channels, money)
    deeds = " and ".join(_then_in_words(then, trays, texts or {}) for then in rule.then)
    return f"When {when}{', if ' if conditions else ''}{' and '.join(conditions)}: {deeds}."


def _conditions_in_words(
    only: RuleIf,
    trays: Mapping[str, str],
    channels: Mapping[str, str],
    money: Callable[[int], str],
) -> list[str]:
    def one_of(values: Sequence[str], names: Mapping[str, str]) -> str:
        return " or ".join(names.get(value, value) for value in values)

    found = []
    if only.channels:
        found.append(f"it is from {one_of(only.channels, {**channels, 'none': 'no channel'})}")
    if only.countries:
        found.append(f"it goes to {one_of(only.countries, {})}")
    if only.trays:
        found.append(f"it lies in {one_of(only.trays, trays)}")
    if only.tags:
        found.append(f"it is tagged {one_of(only.tags, {})}")
    if only.at_least is not None:
        found.append(f"it is worth {money(only.at_least)} or more")
    if only.at_most is not None:
        found.append(f"it is worth {money(only.at_most)} or less")
    if only.least_lines is not None:
        found.append(f"it has {only.least_lines} lines or more")
    if only.most_lines is not None:
        found.append(f"it has {only.most_lines} lines or fewer")
    words = {Extent.NONE: "not at all", Extent.PART: "in part", Extent.ALL: "in full"}
    for name, extents in only.progress.items():
        if extents:
            found.append(f"it is {name} {' or '.join(words[Extent(value)] for value in extents)}")
    return found


def _then_in_words(then: RuleThen, trays: Mapping[str, str], texts: Mapping[str, str]) -> str:
    words = DEED_WORDS[then.deed]
    value = trays.get(then.value, then.value) if then.deed == RuleDeed.MOVE else then.value
    if then.deed == RuleDeed.MAIL:
        value = texts.get(then.value, then.value)
    if then.deed in (RuleDeed.SET_ASIDE, RuleDeed.NOTIFY, RuleDeed.MAIL):
        value = f"“{value}”"
    days = f" for {then.days} {'day' if then.days == 1 else 'days'}" if then.days else ""
    return f"{words} {value}{days}".strip()
