"""Checks what Corvello demands of a page and of an offer, and returns each problem with its field."""

import re
from typing import Any

from standins.aisles import AISLES, PARTICULARS
from standins.memory import Memory
from standins.rules import has_right_check_digit, rule_problems

REASONS = ("handmade", "own brand without codes", "set made by the seller", "second hand")


TAGS = re.compile(r"<(?!/?(?:p|b|i|ul|li|br)\b)[^<>]*>", re.IGNORECASE)


def _number(line: dict[str, Any], name: str, least: int, most: int) -> list[dict[str, str]]:
    value = line.get(name)
    if isinstance(value, int) and not isinstance(value, bool) and least <= value <= most:
        return []
    return [{"at": name, "because": f"A whole number from {least} to {most:,}."}]


def _terms(line: dict[str, Any], memory: Memory) -> list[dict[str, str]]:
    """Returns what is wrong with the seller's own part of an offer."""
    terms = line.get("terms") or {}
    found = []
    if terms.get("condition") not in ("new", "as new", "used"):
        found.append({"at": "condition", "because": "New, as new or used."})
    days = terms.get("hours_to_leave")
    if not isinstance(days, int) or not 0 <= days <= 720:
        found.append({"at": "hours_to_leave", "because": "Hours from 0 to 720."})
    if len(str(terms.get("note", ""))) > 500:
        found.append({"at": "note", "because": "A note has at most 500 characters."})
    return found


def page_problems(
    page: dict[str, Any], memory: Memory, terms: dict[str, Any]
) -> list[dict[str, str]]:
    """Returns why a page may not be created."""
    if memory.rulebook("corvello"):
        return [
            {"at": at, "because": says}
            for at, says in rule_problems(memory, "corvello", {**page, **terms})
        ]
    found = []

    def refuse(at: str, because: str) -> None:
        found.append({"at": at, "because": because})

    if not 10 <= len(str(page.get("title", ""))) <= 160:
        refuse("title", "A title has 10 to 160 characters.")
    if not page.get("maker"):
        refuse("maker", "Say who makes it.")
    text = str(page.get("text", ""))
    if not 40 <= len(text) <= 6000:
        refuse("text", "Tell 40 to 6,000 characters.")
    if TAGS.search(text):
        refuse("text", "Only p, b, i, ul, li and br.")
    gtin = str(page.get("gtin") or "")
    if gtin and not has_right_check_digit(gtin):
        refuse("gtin", "That is no GTIN.")
    if not gtin and page.get("no_gtin_because") not in REASONS:
        refuse("no_gtin_because", f"Without a GTIN one of {', '.join(REASONS)}.")
    pictures = page.get("pictures") or []
    if not 1 <= len(pictures) <= 10:
        refuse("pictures", "1 to 10 pictures.")
    elif any(memory.row("SELECT 1 FROM picture WHERE id = ?", name) is None for name in pictures):
        refuse("pictures", "We do not have one of them.")
    if "counterfeit" in str(page.get("title", "")).casefold():
        refuse("title", "This word is not for titles.")
    _check_particulars(page, refuse)
    return found


def _check_particulars(page: dict[str, Any], refuse: Any) -> None:
    aisle = AISLES.get(str(page.get("aisle", "")))
    if aisle is None:
        refuse("aisle", "We have no such aisle.")
        return
    said = page.get("particulars") or {}
    for name in aisle.needs:
        if not said.get(name):
            refuse(f"particulars.{name}", f"In {aisle.name} we ask for it.")
    for name, value in said.items():
        if name not in (*aisle.needs, *aisle.takes):
            refuse(f"particulars.{name}", f"In {aisle.name} nobody asks for it.")
        elif PARTICULARS[name] and value not in PARTICULARS[name]:
            refuse(f"particulars.{name}", f"One of {', '.join(PARTICULARS[name])}.")
