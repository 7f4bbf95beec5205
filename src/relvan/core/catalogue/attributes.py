"""Attributes with types: which form a value must have, and which categories of the seller's tree
recommend which attributes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from enum import StrEnum

from relvan.core.catalogue.checks import check_text
from relvan.core.catalogue.product import MOST_WORD
from relvan.core.refusal import Refusal, Refused, refuse

SEPARATOR = " / "
MOST_CHOICES = 500
PARTED_BY = "; "


class AttributeKind(StrEnum):
    """The form that the values of an attribute have."""

    TEXT = "text"
    NUMBER = "number"
    ONE_OF = "one of"
    SEVERAL_OF = "several of"
    YES_NO = "yes/no"
    DATE = "date"


@dataclass(frozen=True)
class AttributeRule:
    """An attribute as the seller defined it. Only numbers have a `unit`, and only attributes with a
    fixed set of values have `choices`."""

    name: str
    kind: AttributeKind = AttributeKind.TEXT
    unit: str = ""
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class AttributeAsk:
    """Says that a category recommends an attribute. With `needed` a product without it is
    incomplete."""

    attribute: str
    needed: bool = True


def check_rule(rule: AttributeRule) -> list[Refusal]:
    """Checks the definition of an attribute: it has a name, it has choices where its kind needs
    them, and no choice is named twice."""
    found = check_text("name", "Name", rule.name, MOST_WORD, needed=True)
    found += check_text("unit", "Unit", rule.unit, 20)
    if rule.kind in (AttributeKind.ONE_OF, AttributeKind.SEVERAL_OF) and not rule.choices:
        found.append(
            Refusal(
                "missing", f"“{rule.name}” has no choices.", "Type them, one a line.", "choices"
            )
        )
    if len({choice.casefold() for choice in rule.choices}) < len(rule.choices):
        found.append(Refusal("twice", "A choice is there twice.", "Write each once.", "choices"))
    if len(rule.choices) > MOST_CHOICES:
        found.append(
            Refusal(
                "too-many", f"“Choices” must be at most {MOST_CHOICES}.", "Use text.", "choices"
            )
        )
    if any(PARTED_BY.strip() in choice for choice in rule.choices):
        found.append(
            Refusal("form", "A choice must not hold a semicolon.", "Write it without.", "choices")
        )
    return found


def settle_value(rule: AttributeRule, text: str) -> str:
    """Brings a value into the one form in which it is kept. A value that does not have the form of
    its attribute is refused.

    >>> settle_value(AttributeRule("Diameter", AttributeKind.NUMBER, "cm"), " 14,0 cm")
    '14'
    >>> settle_value(AttributeRule("Use", AttributeKind.SEVERAL_OF, choices=("indoors", "outdoors")), "Outdoors")
    'outdoors'
    """
    text = text.strip()
    if not text or rule.kind == AttributeKind.TEXT:
        return text
    return _SETTLE[rule.kind](rule, text)


def settle_all(
    rules: Mapping[str, AttributeRule], values: Mapping[str, str]
) -> tuple[dict[str, str], list[Refusal]]:
    """Brings all values into their forms and under the spelling of their attributes. `rules` are by
    the attribute's name in lower case."""
    settled: dict[str, str] = {}
    refusals: list[Refusal] = []
    for name, value in values.items():
        rule = rules.get(name.casefold())
        try:
            settled[rule.name if rule else name] = settle_value(rule, value) if rule else value
        except Refused as refused:
            refusals += refused.refusals
            settled[rule.name if rule else name] = value
    return settled, refusals


def asked_of(category: str, asks: Mapping[str, Sequence[AttributeAsk]]) -> dict[str, AttributeAsk]:
    """Returns what a category recommends, together with what the categories above it recommend.
    `asks` are by the category's path in lower case.

    >>> asks = {"pots": [AttributeAsk("Material")], "pots / indoors": [AttributeAsk("Saucer", needed=False)]}
    >>> sorted(asked_of("Pots / Indoors", asks))
    ['Material', 'Saucer']
    """
    found: dict[str, AttributeAsk] = {}
    for path in paths_above(category):
        for ask in asks.get(path.casefold(), ()):
            found[ask.attribute] = ask
    return found


def paths_above(category: str) -> list[str]:
    """Returns the path of a category, preceded by the paths of the categories above it, from the
    top down.

    >>> paths_above("Pots / Indoors / Hanging")
    ['Pots', 'Pots / Indoors', 'Pots / Indoors / Hanging']
    """
    levels = category.split(SEPARATOR) if category else []
    return [SEPARATOR.join(levels[: depth + 1]) for depth in range(len(levels))]


def levels_of(path: str) -> list[str]:
    """Splits a path that a person typed or a channel sent into the names of its levels, without the
    spaces around them.

    >>> levels_of(" Pots/ Indoors / Hanging /")
    ['Pots', 'Indoors', 'Hanging']
    """
    return [level.strip() for level in path.split("/") if level.strip()]


def _wrong(rule: AttributeRule, text: str, wanted: str, fix: str) -> Refused:
    return refuse(
        "form", f"“{rule.name}” must be {wanted}; it got “{text[:60]}”.", fix, "attributes"
    )


def _number(rule: AttributeRule, text: str) -> str:
    bare = text.removesuffix(rule.unit).strip() if rule.unit else text
    try:
        value = Decimal(bare.replace(" ", "").replace(",", "."))
    except InvalidOperation:
        value = Decimal("NaN")
    if not value.is_finite() or abs(value) >= Decimal("1e15"):
        raise _wrong(
            rule, text, f"a number{f' in {rule.unit}' if rule.unit else ''}", "Type digits only."
        )
    return f"{value.normalize():f}"


def _one_of(rule: AttributeRule, text: str) -> str:
    by_key = {choice.casefold(): choice for choice in rule.choices}
    if text.casefold() not in by_key:
        raise _wrong(rule, text, f"one of {_some(rule.choices)}", "Choose one of them.")
    return by_key[text.casefold()]


def _several_of(rule: AttributeRule, text: str) -> str:
    parts = [part for part in text.replace(",", ";").split(";") if part.strip()]
    chosen = {_one_of(rule, part.strip()) for part in parts}
    return PARTED_BY.join(choice for choice in rule.choices if choice in chosen)


def _yes_no(rule: AttributeRule, text: str) -> str:
    if text.casefold() in ("yes", "y", "true", "1", "x"):
        return "yes"
    if text.casefold() in ("no", "n", "false", "0"):
        return "no"
    raise _wrong(rule, text, "yes or no", "Type yes or no.")


def _date(rule: AttributeRule, text: str) -> str:
    try:
        return date.fromisoformat(text).isoformat()
    except ValueError:
        raise _wrong(rule, text, "a date", "Type it like 2026-03-31.") from None


_SETTLE = {
    AttributeKind.NUMBER: _number,
    AttributeKind.ONE_OF: _one_of,
    AttributeKind.SEVERAL_OF: _several_of,
    AttributeKind.YES_NO: _yes_no,
    AttributeKind.DATE: _date,
}


def _some(choices: Sequence[str]) -> str:
    return ", ".join(choices[:6]) + (f" and {len(choices) - 6} more" if len(choices) > 6 else "")
