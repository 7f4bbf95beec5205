"""Chooses the details of a product from the listings that are the same goods, and says on what they
differ.

For each detail a person says where it comes from: from one channel, from the listing that was
changed last, from the longest, or from what most listings say. A detail can be settled for single
products besides.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from relvan.core.catalogue.product import MOST_DESCRIPTION, MOST_TITLE, MOST_WORD
from relvan.core.listings.likeness import folded
from relvan.core.move_in.seen import SeenListing
from relvan.core.refusal import Refusal

NEWEST, LONGEST, MOST = "newest", "longest", "most"
RULES = (NEWEST, LONGEST, MOST)
DETAILS = ("title", "description", "brand", "gtin", "weight_g")
USUAL: Mapping[str, str] = {
    "title": NEWEST,
    "description": LONGEST,
    "brand": MOST,
    "gtin": MOST,
    "weight_g": NEWEST,
}
# details that are one value in truth: where channels differ on them, one of them is wrong
CONFLICTING = ("brand", "gtin", "weight_g")
_NEVER = datetime(1, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class SaidBy:
    """One value of a detail, with the channels that say it."""

    value: Any
    channels: tuple[str, ...]


@dataclass(frozen=True)
class Sources:
    """Where each detail comes from: for all products, and in `own` for single ones, which are named
    by the lowest id among their listings.
    """

    of: Mapping[str, str] = field(default_factory=dict)
    own: Mapping[int, Mapping[str, str]] = field(default_factory=dict)

    def source(self, detail: str, product: int) -> str:
        """Returns where a detail of a product comes from: a rule or the key of a channel."""
        own = self.own.get(product, {}).get(detail)
        return own or self.of.get(detail) or USUAL[detail]

    def settled(self, detail: str, product: int) -> bool:
        """Says whether a person has decided where a detail of a product comes from."""
        return detail in self.own.get(product, {}) or detail in self.of


def check_sources(sources: Mapping[str, str], channels: Sequence[str]) -> list[Refusal]:
    """Checks that details and their sources are known."""
    found = []
    for detail, source in sources.items():
        if detail not in DETAILS:
            message = f"“{detail[:40]}” is no detail that listings have."
            found.append(
                Refusal("unknown", message, f"Name one of {', '.join(DETAILS)}.", "details")
            )
        elif source not in (*RULES, *channels):
            message = f"“{source[:40]}” is no source of a detail."
            fix = f"Name one of {', '.join((*RULES, *channels))}."
            found.append(Refusal("unknown", message, fix, "details"))
    return found


def value_of(detail: str, seen: SeenListing) -> Any:
    """Returns what a listing says of a detail, or an empty value."""
    if detail == "title":
        return seen.title.strip()[:MOST_TITLE]
    if detail == "description":
        return seen.text.strip()[:MOST_DESCRIPTION]
    if detail == "brand":
        return seen.brand.strip()[:MOST_WORD]
    if detail == "gtin":
        return seen.gtin.strip() if seen.gtin_key else ""
    return seen.weight_g or None


def said_of(detail: str, seen: Sequence[SeenListing]) -> list[SaidBy]:
    """Returns the different values of a detail, each with the channels that say it, the most common
    first.
    """
    found: dict[str, tuple[Any, list[str]]] = {}
    for one in seen:
        value = value_of(detail, one)
        if value:
            key = one.gtin_key if detail == "gtin" else folded(str(value))
            found.setdefault(key, (value, []))[1].append(one.channel)
    ranked = sorted(found.values(), key=lambda pair: -len(pair[1]))
    return [SaidBy(value, tuple(dict.fromkeys(channels))) for value, channels in ranked]


def choose(detail: str, seen: Sequence[SeenListing], source: str) -> Any:
    """Returns the value of a detail by a source. A channel that says nothing leaves the choice to
    the usual rule.
    """
    told = [one for one in seen if value_of(detail, one)]
    if not told:
        return None
    if source not in RULES:
        there = [one for one in told if one.channel == source]
        if there:
            return value_of(detail, max(there, key=_changed))
        source = USUAL[detail]
    if source == LONGEST:
        return value_of(detail, max(told, key=lambda one: len(str(value_of(detail, one)))))
    if source == MOST:
        counted = Counter(folded(str(value_of(detail, one))) for one in told)
        return value_of(
            detail, max(told, key=lambda one: counted[folded(str(value_of(detail, one)))])
        )
    return value_of(detail, max(told, key=_changed))


def _changed(seen: SeenListing) -> datetime:
    return seen.changed_at or seen.placed_at or _NEVER


def conflicts_of(seen: Sequence[SeenListing]) -> dict[str, list[SaidBy]]:
    """Returns the details on which the listings contradict one another, with what each says."""
    found = {}
    for detail in CONFLICTING:
        said = said_of(detail, seen)
        if len(said) > 1:
            found[detail] = said
    return found
