"""Checks listings by a rulebook that was loaded by file or through the world API, and that replaces
a stand-in's own rules.

The data are those of a rulebook file: `fields` with their limits, `categories`, `pictures`,
`traits`, `least_price`, `most_units`. What a rulebook does not mention is not checked.
"""

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import yaml

from standins.memory import Memory

_TAG = re.compile(r"</?([a-zA-Z][a-zA-Z0-9]*)[^<>]*>")


def has_right_check_digit(gtin: str) -> bool:
    """Says whether a GTIN of 8, 12, 13 or 14 digits ends in its check digit."""
    if not gtin.isascii() or not gtin.isdigit() or len(gtin) not in (8, 12, 13, 14):
        return False
    total = sum(int(digit) * (3 if index % 2 else 1) for index, digit in enumerate(reversed(gtin)))
    return total % 10 == 0


def load_folder(memory: Memory, folder: Path) -> list[str]:
    """Loads the rulebooks of a folder, each for the stand-in that its key names, and returns the
    keys.
    """
    keys = []
    for path in sorted((*folder.glob("*.yaml"), *folder.glob("*.yml"), *folder.glob("*.json"))):
        book = yaml.safe_load(path.read_text(encoding="utf-8"))
        memory.keep_rulebook(book["key"], book)
        keys.append(book["key"])
    return keys


def rule_problems(
    memory: Memory, channel: str, said: Mapping[str, Any], *, part: str = "whole"
) -> list[tuple[str, str]]:
    """Returns what is wrong with a listing by the rulebook that was loaded, as (field, message) for
    each problem.

    `said` holds the fields by their names; particulars, details and facts may lie one level deeper.
    `part` is `head` or `member` of a family's page.
    """
    book = memory.rulebook(channel) or {}
    flat = {name: value for name, value in said.items() if not isinstance(value, Mapping)}
    for value in said.values():
        if isinstance(value, Mapping):
            flat |= {str(name).replace(" ", "_"): inner for name, inner in value.items()}
    fields = [
        rule
        for rule in book.get("fields", ())
        if part == "whole" or rule.get("of", "head") in ("both", part)
    ]
    kinds = {rule["name"]: rule.get("kind", "text") for rule in fields}
    category = next(
        (str(flat.get(name, "")) for name, kind in kinds.items() if kind == "category"), ""
    )
    found: list[tuple[str, str]] = []
    for rule in fields:
        if rule.get("kind") == "page" or (rule.get("only_in") and category not in rule["only_in"]):
            continue
        if rule.get("without") and flat.get(rule["without"]):
            continue
        found += [
            (rule["name"], says) for says in _wrong(book, rule, flat.get(rule["name"]), category)
        ]
    pictures = flat.get("pictures") or flat.get("photos") or flat.get("images") or []
    found += _wrong_pictures(memory, book.get("pictures", {}), pictures, part)
    return found


def _wrong(
    book: Mapping[str, Any], rule: Mapping[str, Any], value: Any, category: str
) -> list[str]:
    required = rule.get("required") or category in rule.get("required_in", ())
    if value in (None, "", []):
        return ["This must be said."] if required else []
    kind, least, most = rule.get("kind", "text"), rule.get("least"), rule.get("most")
    if kind == "category":
        known = {entry["key"] for entry in book.get("categories", ())}
        return [] if value in known else ["There is no such category."]
    if kind == "choice":
        return (
            []
            if value in rule.get("choices", ())
            else [f"One of {', '.join(rule.get('choices', ()))}."]
        )
    if kind == "gtin":
        return [] if has_right_check_digit(str(value)) else ["That is no GTIN."]
    if kind == "number":
        whole = str(value).isdigit() and (least or 0) <= int(value) <= (
            most if most is not None else 10**9
        )
        return [] if whole else [f"A whole number from {least or 0} to {most}."]
    if kind == "words":
        words = (
            value
            if isinstance(value, list)
            else [w.strip() for w in str(value).split(",") if w.strip()]
        )
        long = rule.get("most_each") and any(len(word) > rule["most_each"] for word in words)
        return ["Too many, or one too long."] if long or (most and len(words) > most) else []
    if (least and len(str(value)) < least) or (most is not None and len(str(value)) > most):
        return [f"{least or 0} to {most} characters."]
    strange = {tag.lower() for tag in _TAG.findall(str(value))} - set(rule.get("html", ()))
    return [f"No {', '.join(sorted(strange))} here."] if rule.get("html") and strange else []


def _wrong_pictures(
    memory: Memory, rule: Mapping[str, Any], pictures: list[str], part: str
) -> list[tuple[str, str]]:
    least, most = (0 if part == "member" else rule.get("least", 0)), rule.get("most", 12)
    if not least <= len(pictures) <= most:
        return [("pictures", f"{least} to {most} pictures.")]
    if any(memory.row("SELECT 1 FROM picture WHERE id = ?", name) is None for name in pictures):
        return [("pictures", "One of them has not reached us.")]
    return []


def least_price(memory: Memory, channel: str, usual: int) -> int:
    """Returns the lowest price that is taken."""
    return int((memory.rulebook(channel) or {}).get("least_price", usual))


def most_units(memory: Memory, channel: str, usual: int) -> int:
    """Returns the largest number of units that is shown."""
    return int((memory.rulebook(channel) or {}).get("most_units", usual))


def trait_problems(
    memory: Memory, channel: str, traits: list[str], usual_most: int, usual: tuple[str, ...]
) -> str:
    """Returns what is wrong with the traits by which a family's page differs, or "" when they are
    right.
    """
    rule = (memory.rulebook(channel) or {}).get("traits", {})
    most, known = int(rule.get("most", usual_most)), tuple(rule.get("names", usual))
    if not 1 <= len(traits) <= most or len(set(traits)) < len(traits):
        return f"Between 1 and {most} traits, each once."
    strange = [name for name in traits if known and name not in known]
    return f"We know no trait “{strange[0]}”; known: {', '.join(known)}." if strange else ""
