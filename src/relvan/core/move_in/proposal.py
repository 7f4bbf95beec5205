"""Proposes a catalogue from the listings of several channels: one product for what is the same goods,
with aliases, families, details, prices and stock, and what a person is asked.

The proposal follows from the listings and from what the person has decided, and from nothing else:
made again, it is the same.
"""

import re
from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from relvan.core.catalogue.identity import check_sku, sku_key
from relvan.core.catalogue.product import MOST_ALIASES, ProductKind, Trait
from relvan.core.move_in.details import DETAILS, SaidBy, Sources, choose, conflicts_of
from relvan.core.move_in.families import ProposedFamily, propose_families
from relvan.core.move_in.matching import JoinRules, Link, match
from relvan.core.move_in.seen import SeenListing
from relvan.core.move_in.words import words_of

_PACK = re.compile(
    r"\b(?:pack|set|lot|box)\s+of\s+(\d+)\b|\b(\d+)[\s-]*(?:pack|er[\s-]?pack)\b", re.I
)
_SET = re.compile(r"\b(set|kit|bundle)\b", re.I)


@dataclass(frozen=True)
class Wishes:
    """What a person has decided about a proposal.

    `stock_from` is the channel whose quantities count, and `channels` the order in which channels
    are asked otherwise. `no_families` names families that are not wanted, `kits` the products (by
    their lowest listing) that are kits indeed, and `left_out` those that are not to be made.
    `existing` are products of the catalogue by listing, and `taken` the keys of all its SKUs.
    """

    matching: JoinRules = JoinRules()
    sources: Sources = Sources()
    channels: Sequence[str] = ()
    stock_from: str = ""
    no_families: frozenset[str] = frozenset()
    kits: frozenset[int] = frozenset()
    left_out: frozenset[int] = frozenset()
    existing: Mapping[int, str] = field(default_factory=dict)
    taken: Collection[str] = frozenset()


@dataclass(frozen=True)
class KitQuestion:
    """A product whose title says that it may be a kit, with the parts that are known."""

    parts: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True)
class Proposed:
    """One product that is proposed. `name` is the lowest id among its listings, `links` say by what
    they were joined, `prices` are what the channels ask, and `stock` is (quantity, channel).
    """

    name: int
    sku: str
    kind: str
    listings: tuple[int, ...]
    facts: Mapping[str, Any]
    links: tuple[Link, ...] = ()
    aliases: tuple[str, ...] = ()
    prices: Mapping[str, int] = field(default_factory=dict)
    stock: tuple[int, str] | None = None
    conflicts: Mapping[str, Sequence[SaidBy]] = field(default_factory=dict)
    family: str = ""
    traits: Mapping[str, str] = field(default_factory=dict)
    axes: tuple[Trait, ...] = ()
    kit: KitQuestion | None = None
    existing: str = ""
    left_out: bool = False
    family_name: str = ""


@dataclass(frozen=True)
class CatalogueProposal:
    """All products that are proposed, families before their variants, and the pairs of listings of
    which a person is asked whether they are the same goods.
    """

    products: tuple[Proposed, ...]
    questions: tuple[Link, ...]


def propose_catalogue(seen: Sequence[SeenListing], wishes: Wishes = Wishes()) -> CatalogueProposal:
    """Returns the catalogue that the listings propose."""
    return _Proposing(seen, wishes).proposal()


class _Proposing:
    def __init__(self, seen: Sequence[SeenListing], wishes: Wishes) -> None:
        self.by_id = {one.id: one for one in seen}
        self.wishes = wishes
        rank = {channel: at for at, channel in enumerate(wishes.channels)}
        self.rank = lambda one: (rank.get(one.channel, len(rank)), one.id)
        self.matched = match([one for one in seen if not one.is_head], wishes.matching)
        self.links: dict[int, list[Link]] = defaultdict(list)
        for link in self.matched.links:
            self.links[link.first].append(link)
        self.families = propose_families(seen, self.matched.groups, wishes.no_families)
        self.claimed: set[str] = set(wishes.taken)
        self.unwanted: set[str] = set()  # SKUs of families that are left out

    def proposal(self) -> CatalogueProposal:
        groups = [
            sorted((self.by_id[one] for one in group), key=self.rank)
            for group in self.matched.groups
        ]
        skus = self._skus(groups)
        family_of: dict[int, tuple[str, ProposedFamily]] = {}
        heads = []
        for family in self.families:
            head = self._family(family, groups)
            heads.append(head)
            if head.left_out:  # then its variants are not made either
                self.unwanted.add(head.sku)
            for variant in family.variants:
                family_of[variant] = (head.sku, family)
        products = [
            self._product(at, group, skus[at], family_of.get(at)) for at, group in enumerate(groups)
        ]
        products = self._with_kits(products)
        return CatalogueProposal((*heads, *products), self.matched.questions)

    # --- SKUs

    def _skus(self, groups: Sequence[Sequence[SeenListing]]) -> list[tuple[str, tuple[str, ...]]]:
        """Returns the SKU and the aliases of each group. A SKU that two groups want goes to the one
        in which more listings have it.
        """
        wanted: dict[str, list[tuple[int, int]]] = defaultdict(list)
        counted = []
        for at, group in enumerate(groups):
            keys = Counter(one.sku_key for one in group if one.sku_key and not check_sku(one.sku))
            counted.append(keys)
            for key, count in keys.items():
                wanted[key].append((-count, at))
        owner = {key: min(claims)[1] for key, claims in wanted.items()}
        found = []
        for at, group in enumerate(groups):
            spelled = {one.sku_key: one.sku.strip() for one in reversed(group)}
            existing = self._existing(group)
            own = [key for key, _ in counted[at].most_common() if owner[key] == at]
            free = [key for key in own if key not in self.claimed]
            sku = existing or (spelled[free[0]] if free else self._made_up(group[0]))
            self.claimed.add(sku_key(sku))
            aliases = [spelled[key] for key in own if key not in self.claimed]
            self.claimed.update(sku_key(alias) for alias in aliases)
            found.append((sku, tuple(aliases[:MOST_ALIASES])))
        return found

    def _existing(self, group: Sequence[SeenListing]) -> str:
        return next(
            (self.wishes.existing[one.id] for one in group if one.id in self.wishes.existing), ""
        )

    def _made_up(self, one: SeenListing) -> str:
        """Returns a SKU for goods that have none of their own, by the reference of their listing."""
        base = re.sub(r"\s+", "-", one.ref.strip())[:48] or str(one.id)
        sku, number = base, 1
        while sku_key(sku) in self.claimed or check_sku(sku):
            number += 1
            sku = f"{base}-{number}"
        return sku

    # --- products

    def _details(self, group: Sequence[SeenListing], name: int) -> dict[str, Any]:
        sources = self.wishes.sources
        found = {detail: choose(detail, group, sources.source(detail, name)) for detail in DETAILS}
        facts: dict[str, Any] = {}
        for one in reversed(group):  # the first channel has the last word
            facts |= one.facts
        return {**facts, **{detail: value for detail, value in found.items() if value}}

    def _product(
        self,
        at: int,
        group: Sequence[SeenListing],
        skus: tuple[str, tuple[str, ...]],
        family: tuple[str, ProposedFamily] | None,
    ) -> Proposed:
        name = min(one.id for one in group)
        sku, aliases = skus
        existing = self._existing(group)
        conflicts = {
            detail: said
            for detail, said in conflicts_of(group).items()
            if not self.wishes.sources.settled(detail, name)
        }
        in_family = family is not None and not existing
        sku_of_family = family[0] if family else ""
        return Proposed(
            name=name,
            sku=sku,
            kind=ProductKind.VARIANT if in_family else ProductKind.SINGLE,
            listings=tuple(one.id for one in group),
            facts=self._details(group, name),
            links=tuple(link for one in group for link in self.links[one.id]),
            aliases=aliases,
            prices={one.channel: one.price for one in reversed(group) if one.price},
            stock=self._stock(group),
            conflicts=conflicts,
            family=family[0] if family and in_family else "",
            traits=family[1].variants[at] if family and in_family else {},
            existing=existing,
            left_out=name in self.wishes.left_out or (in_family and sku_of_family in self.unwanted),
            family_name=family[1].name if family and in_family else "",
        )

    def _stock(self, group: Sequence[SeenListing]) -> tuple[int, str] | None:
        """Returns the quantity of the trusted channel; where goods are not listed there, the lowest
        that another channel shows, so that nothing is sold that is not there.
        """
        trusted = [one for one in group if one.channel == self.wishes.stock_from]
        chosen = min(trusted or group, key=lambda one: (one.quantity, one.id))
        return chosen.quantity, chosen.channel

    def _family(self, family: ProposedFamily, groups: Sequence[Sequence[SeenListing]]) -> Proposed:
        pages = sorted((self.by_id[page] for page in family.pages), key=self.rank)
        members = [one for variant in family.variants for one in groups[variant]]
        name = min(family.pages) if family.pages else min(one.id for one in members)
        codes = [one for one in pages if one.sku_key and not check_sku(one.sku)]
        free = [one.sku.strip() for one in codes if one.sku_key not in self.claimed]
        existing = self._existing(pages)
        sku = existing or (free[0] if free else self._made_up_family(family, pages, members))
        self.claimed.add(sku_key(sku))
        aliases = [one for one in free if sku_key(one) not in self.claimed]
        self.claimed.update(map(sku_key, aliases))
        details = self._details(pages or members, name)
        if family.title:
            details["title"] = family.title
        for own in ("gtin", "weight_g"):
            details.pop(own, None)
        return Proposed(
            name=name,
            sku=sku,
            kind=ProductKind.FAMILY,
            listings=tuple(one.id for one in pages),
            facts=details,
            aliases=tuple(aliases),
            axes=family.axes,
            existing=existing,
            left_out=name in self.wishes.left_out,
            family_name=family.name,
        )

    def _made_up_family(
        self, family: ProposedFamily, pages: Sequence[SeenListing], members: Sequence[SeenListing]
    ) -> str:
        title = family.title or (pages or members)[0].title
        base = "-".join(words_of(title))[:40].strip("-").upper() or "FAMILY"
        sku, number = base, 1
        while sku_key(sku) in self.claimed or check_sku(sku):
            number += 1
            sku = f"{base}-{number}"
        return sku

    # --- kits

    def _with_kits(self, products: list[Proposed]) -> list[Proposed]:
        """Adds to products whose titles speak of several pieces the question whether they are kits;
        those of which a person has said so become kits.
        """
        plain = {frozenset(words_of(one.facts.get("title", ""))): one for one in products}
        found = []
        for one in products:
            question = _kit_question(one, plain)
            if question is None:
                found.append(one)
            elif one.name in self.wishes.kits and question.parts:
                facts = {**one.facts, "parts": [list(part) for part in question.parts]}
                kit: dict[str, Any] = {"kind": ProductKind.KIT, "facts": facts, "stock": None}
                found.append(_changed(one, **kit, kit=question))
            else:
                found.append(_changed(one, kit=question))
        return found


def _changed(one: Proposed, **values: Any) -> Proposed:
    return Proposed(**{**one.__dict__, **values})


def _kit_question(one: Proposed, plain: Mapping[frozenset[str], Proposed]) -> KitQuestion | None:
    if one.kind != ProductKind.SINGLE or one.existing:
        return None
    title = str(one.facts.get("title", ""))
    pack = _PACK.search(title)
    if pack:
        number = int(pack.group(1) or pack.group(2))
        part = plain.get(frozenset(words_of(_PACK.sub(" ", title))))
        if part is not None and part.name != one.name and number > 1:
            return KitQuestion(((part.sku, number),))
        return KitQuestion()
    return KitQuestion() if _SET.search(title) else None
