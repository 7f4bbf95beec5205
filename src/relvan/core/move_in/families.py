"""Proposes families: those that stand on a family's page of a channel, joined where they share
products, and those of which the titles differ by measures and trait values alone.
"""

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from relvan.core.catalogue.families import LooseProduct, propose
from relvan.core.catalogue.product import MOST_TRAITS, Trait
from relvan.core.move_in.seen import SeenListing
from relvan.core.move_in.words import is_measure, words_of

SIZES = frozenset(("xs", "s", "m", "l", "xl", "xxl", "xxxl"))
COLOURS = frozenset(
    [
        "black",
        "white",
        "grey",
        "red",
        "green",
        "blue",
        "yellow",
        "brown",
        "pink",
        "orange",
        "purple",
        "natural",
    ]
)
LEAST = 2
_NO_SPACE = re.compile(r"^(\d+(?:[.,]\d+)?)(mm|cm|ml|cl|kg|m|l|g)$", re.IGNORECASE)


@dataclass(frozen=True)
class ProposedFamily:
    """A family with its traits, and the values of its variants by the number of the product.

    `pages` are the listings of its pages. One that only titles suggest has none; `title` is what
    they share.
    """

    pages: tuple[int, ...]
    axes: tuple[Trait, ...]
    variants: Mapping[int, Mapping[str, str]]
    title: str = ""

    @property
    def name(self) -> str:
        """The name by which a person refuses it: that of its first page or its first variant."""
        return f"page {min(self.pages)}" if self.pages else f"title {min(self.variants)}"


def propose_families(
    seen: Sequence[SeenListing], groups: Sequence[Sequence[int]], refused: Iterable[str] = ()
) -> list[ProposedFamily]:
    """Returns families of the groups of listings that are the same goods; a group is named by its
    place. Each group is in one family at most.
    """
    by_id = {one.id: one for one in seen}
    place = {member: at for at, group in enumerate(groups) for member in group}
    unwanted = set(refused)
    found = [family for family in _from_pages(by_id, place) if family.name not in unwanted]
    known = {
        word
        for family in found
        for axis in family.axes
        for v in axis.values
        for word in words_of(v)
    }
    taken = {variant for family in found for variant in family.variants}
    loose = [
        (at, [by_id[one] for one in group])
        for at, group in enumerate(groups)
        if at not in taken and not any(by_id[one].head for one in group)
    ]
    found += [family for family in _from_titles(loose, known) if family.name not in unwanted]
    return found


def _from_pages(by_id: Mapping[int, SeenListing], place: Mapping[int, int]) -> list[ProposedFamily]:
    heads = {(one.channel, one.ref): one for one in by_id.values() if one.is_head}
    members: dict[int, dict[int, SeenListing]] = defaultdict(dict)  # by page, then by product
    for one in by_id.values():
        head = heads.get((one.channel, one.head)) if one.head else None
        if head is not None and one.id in place:
            members[head.id].setdefault(place[one.id], one)
    found = []
    taken: set[int] = set()
    for cluster in _clusters(members):
        family = _joined([(by_id[page], members[page]) for page in cluster], taken)
        if family is not None:
            taken |= set(family.variants)
            found.append(family)
    return found


def _clusters(members: Mapping[int, Mapping[int, SeenListing]]) -> list[list[int]]:
    """Returns pages that share products, together; the page with most variants comes first."""
    pages_of: dict[int, list[int]] = defaultdict(list)
    for page, variants in members.items():
        for product in variants:
            pages_of[product].append(page)
    found, done = [], set()
    for page in sorted(members, key=lambda page: (-len(members[page]), page)):
        if page in done:
            continue
        cluster, waiting = [], [page]
        while waiting:
            one = waiting.pop(0)
            if one in done:
                continue
            done.add(one)
            cluster.append(one)
            shared: dict[int, int] = defaultdict(int)
            for product in members[one]:
                for other in pages_of[product]:
                    shared[other] += 1
            waiting += [
                other
                for other, count in sorted(shared.items())
                if other not in done and 2 * count >= min(len(members[one]), len(members[other]))
            ]
        found.append(cluster)
    return found


def _joined(
    pages: Sequence[tuple[SeenListing, Mapping[int, SeenListing]]], taken: set[int]
) -> ProposedFamily | None:
    """Joins pages of one family: the first one names the traits, and what only others show is told
    in its words.
    """
    head, own = pages[0]
    names = list(head.traits)[:MOST_TRAITS]
    values: dict[int, dict[str, str]] = {}
    for page, variants in pages:
        renamed = _renamed(names, own, page, variants)
        for product, one in variants.items():
            told = {renamed[name]: value for name, value in one.traits.items() if name in renamed}
            if product not in values and product not in taken and all(told.get(n) for n in names):
                values[product] = {name: told[name] for name in names}
    spelled: dict[str, dict[tuple[str, ...], str]] = {name: {} for name in names}
    variants_of: dict[int, Mapping[str, str]] = {}
    seen: set[tuple[tuple[str, ...], ...]] = set()
    for product, told in values.items():
        key = tuple(words_of(told[name]) or (told[name],) for name in names)
        if key not in seen:
            seen.add(key)
            variants_of[product] = {
                name: spelled[name].setdefault(part, tidy_value(told[name]))
                for name, part in zip(names, key, strict=True)
            }
    if len(variants_of) < 1 or not names:
        return None
    axes = tuple(Trait(_shown(name), tuple(spelled[name].values())) for name in names)
    shown = {
        product: {_shown(name): value for name, value in told.items()}
        for product, told in variants_of.items()
    }
    return ProposedFamily(tuple(page.id for page, _ in pages), axes, shown)


def tidy_value(value: str) -> str:
    """Returns a trait value as it is shown: a number and its unit have a space between them.

    >>> tidy_value(" 14cm"), tidy_value("celadon")
    ('14 cm', 'celadon')
    """
    return _NO_SPACE.sub(r"\1 \2", value.strip())


def _shown(name: str) -> str:
    return name[:1].upper() + name[1:]


def _renamed(
    names: Sequence[str],
    own: Mapping[int, SeenListing],
    page: SeenListing,
    variants: Mapping[int, SeenListing],
) -> dict[str, str]:
    """Returns the name of a page's traits in the words of the first page: the same name, or the one
    that has the same values on the products that both show.
    """
    found: dict[str, str] = {}
    for theirs in page.traits:
        best, most = "", 0
        for name in names:
            equal = sum(
                words_of(one.traits.get(theirs, "")) == words_of(own[product].traits.get(name, ""))
                for product, one in variants.items()
                if product in own
            )
            equal = equal * 2 + (theirs.casefold() == name.casefold())
            if equal > most and name not in found.values():
                best, most = name, equal
        if best:
            found[theirs] = best
    return found


# --- from titles


def _from_titles(
    groups: Sequence[tuple[int, Sequence[SeenListing]]], known: Iterable[str]
) -> list[ProposedFamily]:
    """Returns families of products whose titles on one channel are the same but for measures and
    words that are values of traits.
    """
    values = {*known, *SIZES, *COLOURS}
    found: list[ProposedFamily] = []
    taken: set[int] = set()
    channels = sorted({one.channel for _, group in groups for one in group})
    for channel in channels:
        stems: dict[object, dict[int, SeenListing]] = defaultdict(dict)
        for at, group in groups:
            one = next((one for one in group if one.channel == channel and not one.head), None)
            if one is None or at in taken:
                continue
            words = words_of(one.title)
            rest = tuple(sorted(word for word in words if not _may_vary(word, values)))
            varying = [word for word in words if _may_vary(word, values)]
            if varying and rest:
                kinds = tuple(sorted(_kind(word) for word in varying))
                stems[rest, kinds, words_of(one.brand)][at] = one
        for members in stems.values():
            family = _from_stem(members)
            if family is not None:
                taken |= set(family.variants)
                found.append(family)
    return found


def _may_vary(word: str, values: set[str]) -> bool:
    return is_measure(word) or word in values


def _kind(word: str) -> str:
    return "".join(filter(str.isalpha, word)) if is_measure(word) else "word"


def _from_stem(members: Mapping[int, SeenListing]) -> ProposedFamily | None:
    if len(members) < LEAST:
        return None
    told = propose([LooseProduct(str(at), one.title, {}) for at, one in members.items()])
    if not told.traits or not told.tells_apart or len(told.traits) > MOST_TRAITS:
        return None
    axes = tuple(
        Trait(name, tuple(dict.fromkeys(held[name] for held in told.values.values())))
        for name in told.traits
    )
    variants = {int(at): dict(held) for at, held in told.values.items()}
    return ProposedFamily((), axes, variants, told.title)
