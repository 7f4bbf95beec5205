"""Rules of the order desk: when this happens, and if that is so, do this. See docs/rules.md, “Rules”."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from relvan.core.orders.facts import Extent

MOST_TAG = 30


class RuleEvent(StrEnum):
    """What happens to an order."""

    TAKEN = "taken"
    RESERVED = "reserved"
    SHORT = "short"
    RELEASED = "released"
    SHIPPED = "shipped"
    INVOICED = "invoiced"
    PAID = "paid"
    CANCELLED = "cancelled-upstream"
    MAILED = "mailed"
    WAITED = "waited"


class RuleDeed(StrEnum):
    """What a rule does with an order."""

    MOVE = "move"
    SET_ASIDE = "set-aside"
    TAG = "tag"
    RESERVE = "reserve"
    RELEASE = "release"
    INVOICE = "invoice"
    NOTIFY = "notify"
    MAIL = "mail"


PROGRESS_NAMES = ("reserved", "picked", "shipped", "invoiced", "paid")


@dataclass(frozen=True)
class RuleIf:
    """What must be so of an order. Whatever is empty is not asked for; of several values one is
    enough. Amounts are in minor units of the order's currency."""

    channels: tuple[str, ...] = ()
    countries: tuple[str, ...] = ()
    trays: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()
    at_least: int | None = None
    at_most: int | None = None
    least_lines: int | None = None
    most_lines: int | None = None
    progress: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class RuleThen:
    """One deed of a rule with its value: a tray's key, a reason, a tag, words or the id of a text
    of a mail; and the days for
    which an order is set aside."""

    deed: RuleDeed
    value: str = ""
    days: int = 0


@dataclass(frozen=True)
class Rule:
    """A rule: its name, when it is asked, what must be so, and what is done. `days` is how long an
    order has waited in its tray, for the event `WAITED`."""

    name: str
    when: RuleEvent
    then: tuple[RuleThen, ...]
    only: RuleIf = RuleIf()
    days: int = 0
    active: bool = True
    id: int = 0


@dataclass(frozen=True)
class RuleFacts:
    """What rules ask of an order. `days` is how long it has lain in its tray."""

    number: str
    channel: str
    country: str
    tray: str
    total: int
    lines: int
    progress: Mapping[str, Extent]
    tags: frozenset[str] = frozenset()
    days: int = 0


def matches(rule: Rule, facts: RuleFacts) -> bool:
    """Says whether a rule is for an order as it is, once its event has happened."""
    return not why_not(rule, facts)


def why_not(rule: Rule, facts: RuleFacts) -> str:
    """Returns the first thing that keeps a rule from an order, or nothing."""
    only = rule.only
    for wanted, value, label in (
        (only.channels, facts.channel, "channel"),
        (only.countries, facts.country, "country"),
        (only.trays, facts.tray, "tray"),
    ):
        if wanted and value not in wanted:
            return label
    if only.tags and not facts.tags & set(only.tags):
        return "tag"
    for low, high, number, label in (
        (only.at_least, only.at_most, facts.total, "amount"),
        (only.least_lines, only.most_lines, facts.lines, "number of lines"),
    ):
        if (low is not None and number < low) or (high is not None and number > high):
            return label
    for name, extents in only.progress.items():
        if extents and facts.progress[name] not in extents:
            return f"progress: {name}"
    if rule.when == RuleEvent.WAITED and facts.days < rule.days:
        return "days in its tray"
    return ""


def tag_of(text: str) -> str:
    """Returns a text as a tag: small letters, digits and hyphens, at most 30 characters.

    >>> tag_of(" Gift, wrapped ")
    'gift-wrapped'
    """
    words = "".join(letter if letter.isalnum() else " " for letter in text.lower()).split()
    return "-".join(words)[:MOST_TAG].strip("-")


def plain_rule(rule: Rule) -> dict[str, Any]:
    """Returns a rule as plain data, as it is kept and as the API tells it."""
    only = rule.only
    return {
        "name": rule.name,
        "when": str(rule.when),
        "days": rule.days,
        "active": rule.active,
        "only": {
            **{
                name: list(getattr(only, name))
                for name in ("channels", "countries", "trays", "tags")
            },
            **{
                name: getattr(only, name)
                for name in ("at_least", "at_most", "least_lines", "most_lines")
            },
            "progress": {name: list(values) for name, values in only.progress.items()},
        },
        "then": [
            {"deed": str(then.deed), "value": then.value, "days": then.days} for then in rule.then
        ],
    }


def read_rule(told: Mapping[str, Any], rule_id: int = 0) -> Rule:
    """Reads a rule from plain data that `plain_rule` has made."""
    only = told.get("only", {})
    condition = RuleIf(
        channels=tuple(only.get("channels", ())),
        countries=tuple(only.get("countries", ())),
        trays=tuple(only.get("trays", ())),
        tags=tuple(only.get("tags", ())),
        at_least=only.get("at_least"),
        at_most=only.get("at_most"),
        least_lines=only.get("least_lines"),
        most_lines=only.get("most_lines"),
        progress={name: tuple(values) for name, values in only.get("progress", {}).items()},
    )
    return Rule(
        told["name"],
        RuleEvent(told["when"]),
        tuple(
            RuleThen(RuleDeed(then["deed"]), then.get("value", ""), then.get("days", 0))
            for then in told["then"]
        ),
        condition,
        told.get("days", 0),
        told.get("active", True),
        rule_id,
    )
