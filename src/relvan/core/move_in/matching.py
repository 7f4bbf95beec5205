"""Finds which listings of several channels are the same goods: by equal SKU, then by GTIN, then by
likeness above a mark.

A likeness weighs the words of titles by how much they tell, and counts texts, prices and weights
beside them. Two listings that contradict each other in a measure, in a word by which siblings of a
family differ, or in a GTIN are never joined by likeness. What is below the mark stays a question.
"""

import math
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from statistics import median

from relvan.core.move_in.brands import Brands
from relvan.core.move_in.seen import SeenListing
from relvan.core.move_in.words import Shared, Weights, is_measure, words_of

MARK = 72  # from here on a likeness joins two listings, unless a person chooses another mark
ASK = 55  # from here on to the mark it is a question
LEAD = 4  # how much more alike the best must be than the next
CONTRADICTED = 40
OTHER_BRAND = 20  # so much less alike are two listings of different brands
REPLACED = 10  # so much less alike are two titles of which each has a word that the other lacks
TRIED = 24  # so many candidates are compared with each listing
COMMON = 400  # a word that stands in more listings finds no candidates


@dataclass(frozen=True)
class Link:
    """Says that two listings are the same goods, by what, and how sure it is (0 to 100)."""

    first: int
    second: int
    by: str
    percent: int


@dataclass
class Groups:
    """Listings that are the same goods, joined one by one; a group is named by one of its members."""

    _above: dict[int, int] = field(default_factory=dict)
    _members: dict[int, list[int]] = field(default_factory=dict)

    def add(self, one: int) -> None:
        """Adds a listing as a group of its own."""
        self._above[one], self._members[one] = one, [one]

    def of(self, one: int) -> int:
        """Returns the name of the group that a listing is in."""
        return self._above[one]

    def members(self, group: int) -> Sequence[int]:
        """Returns the listings of a group."""
        return self._members[group]

    def join(self, first: int, second: int) -> None:
        """Joins the groups of two listings."""
        kept, gone = sorted((self.of(first), self.of(second)))
        if kept == gone:
            return
        for member in self._members[gone]:
            self._above[member] = kept
        self._members[kept] += self._members.pop(gone)

    def all(self) -> list[Sequence[int]]:
        """Returns the members of every group, in the order of their first ones."""
        return [self._members[group] for group in sorted(self._members)]


@dataclass(frozen=True)
class Matched:
    """What the matching came to: groups of ids, the links that made them, and the questions."""

    groups: list[Sequence[int]]
    links: tuple[Link, ...]
    questions: tuple[Link, ...]


@dataclass(frozen=True)
class JoinRules:
    """What a person decided about listings: `apart` are never joined with others, `together` are
    pairs of the same goods.
    """

    mark: int = MARK
    apart: frozenset[int] = frozenset()
    together: tuple[tuple[int, int], ...] = ()
    differ: frozenset[tuple[int, int]] = frozenset()


def match(seen: Sequence[SeenListing], decided: JoinRules = JoinRules()) -> Matched:
    """Returns which listings are the same goods. Pages of families must not be among them."""
    work = _Matching(seen, decided)
    work.by_hand()
    work.by_sku()
    work.by_gtin()
    work.by_likeness()
    return Matched(work.groups.all(), tuple(work.links), tuple(work.questions.values()))


class _Matching:
    def __init__(self, seen: Sequence[SeenListing], decided: JoinRules) -> None:
        self.by_id = {one.id: one for one in seen}
        self.decided = decided
        self.groups = Groups()
        for one in seen:
            self.groups.add(one.id)
        self.links: list[Link] = []
        self.questions: dict[tuple[int, int], Link] = {}
        self.brands = Brands(seen)
        self.words = {one.id: _telling_words(one, self.brands.words) for one in seen}
        self.weights = Weights(self.words.values())
        self.texts = {one.id: frozenset(words_of(one.text)) for one in seen}
        self.text_weights = Weights(self.texts.values())
        self.varying = varying_words(seen, self.words)
        self.ratios: dict[tuple[str, str], float] = {}

    def free(self, one: int) -> bool:
        return one not in self.decided.apart

    def join(self, link: Link) -> None:
        self.groups.join(link.first, link.second)
        self.links.append(link)

    def by_hand(self) -> None:
        for first, second in self.decided.together:
            if first in self.by_id and second in self.by_id:
                self.join(Link(first, second, "hand", 100))

    def by_sku(self) -> None:
        for bucket in _buckets((one.sku_key, one.id) for one in self.by_id.values()):
            self._join_bucket(bucket, "SKU", 100)

    def by_gtin(self) -> None:
        for bucket in _buckets((one.gtin_key, one.id) for one in self.by_id.values()):
            self._join_bucket(bucket, "GTIN", 98)

    def _join_bucket(self, bucket: Sequence[int], by: str, percent: int) -> None:
        """Joins listings that share a code. Where one channel has the code more than once, or what
        they say contradicts it, likeness decides or a person is asked.
        """
        ids = [one for one in bucket if self.free(one)]
        counted = Counter(self.by_id[one].channel for one in ids)
        several = any(count > 1 for count in counted.values())
        for at, first in enumerate(ids):
            for second in ids[at + 1 :]:
                if self.groups.of(first) == self.groups.of(second):
                    continue
                link = Link(first, second, by, percent)
                if self._doubted(first, second, by=by, several=several):
                    self._ask(Link(first, second, by, 60))
                elif (first, second) not in self.decided.differ:
                    self.join(link)

    def _doubted(self, first: int, second: int, *, by: str, several: bool) -> bool:
        one, other = self.by_id[first], self.by_id[second]
        shared = self.weights.share(self.words[first], self.words[second])
        gtins = bool(one.gtin_key and other.gtin_key and one.gtin_key != other.gtin_key)
        if by == "SKU":
            return gtins and (shared.part < 0.5 or self._contradicts(first, second, shared))
        if several or one.channel == other.channel:
            return shared.part < 0.85 or self._contradicts(first, second, shared)
        return shared.part < 0.2 and bool(
            _measures(shared.only_first) and _measures(shared.only_second)
        )

    def _ask(self, link: Link) -> None:
        pair = (min(link.first, link.second), max(link.first, link.second))
        if pair not in self.decided.differ and all(map(self.free, pair)):
            self.questions.setdefault(pair, link)

    # --- likeness

    def by_likeness(self) -> None:
        """Joins groups that are alike, the most alike first, in two rounds: what the first has
        joined says more in the second.
        """
        self.questions = {**self.questions}
        for _ in range(2):
            self.ratios = self._price_ratios()
            self.brands.learn(
                (self.by_id[one], self.by_id[other]) for one, other in self._joined_pairs()
            )
            self.weights.learn(
                (self.words[one], self.words[other]) for one, other in self._joined_pairs()
            )
            found = self._best_pairs()
            joined = False
            for percent, first, second, lead in found:
                link = Link(first, second, "likeness", percent)
                sure = percent >= self.decided.mark and lead >= LEAD
                if sure and not self._other_brands(first, second):
                    if self._may_join(first, second):
                        self.join(link)
                        joined = True
                elif percent >= ASK:
                    self._ask(link)
            if not joined:
                break
        self.questions = {
            pair: link
            for pair, link in self.questions.items()
            if self.groups.of(pair[0]) != self.groups.of(pair[1])
        }

    def _may_join(self, first: int, second: int) -> bool:
        """Says whether two groups can be one: no channel lists both, and no GTIN speaks against."""
        one, other = (self.groups.members(self.groups.of(at)) for at in (first, second))
        if self.groups.of(first) == self.groups.of(second):
            return False
        channels = {self.by_id[at].channel for at in one} & {self.by_id[at].channel for at in other}
        codes = [{self.by_id[at].gtin_key for at in group} - {""} for group in (one, other)]
        return not channels and not (codes[0] and codes[1] and not codes[0] & codes[1])

    def _price_ratios(self) -> dict[tuple[str, str], float]:
        """Returns, for each pair of channels, by how much the second asks more, from what is joined."""
        found: dict[tuple[str, str], list[float]] = defaultdict(list)
        for first, second in self._joined_pairs():
            one, other = self.by_id[first], self.by_id[second]
            if one.price and other.price:
                ratio = math.log(other.price / one.price)
                found[one.channel, other.channel].append(ratio)
                found[other.channel, one.channel].append(-ratio)
        return {pair: median(ratios) for pair, ratios in found.items() if len(ratios) >= 5}

    def _other_brands(self, first: int, second: int) -> bool:
        """Says whether any two listings of two groups name different brands."""
        one, other = (self.groups.members(self.groups.of(at)) for at in (first, second))
        return any(
            self.brands.differ(self.by_id[own], self.by_id[theirs])
            for own in one
            for theirs in other
        )

    def _joined_pairs(self) -> Iterator[tuple[int, int]]:
        """Yields every pair of listings on two channels that are joined."""
        for group in self.groups.all():
            for first, second in combinations(group, 2):
                if self.by_id[first].channel != self.by_id[second].channel:
                    yield first, second

    def _best_pairs(self) -> list[tuple[int, int, int, int]]:
        """Returns (percent, listing, listing, lead over the next) of groups that are each other's
        best, the most alike first.
        """
        scores: dict[int, list[tuple[int, int, int, int]]] = defaultdict(list)
        tried: set[tuple[int, int]] = set()
        index = self._index()
        everywhere = {one.channel for one in self.by_id.values()}
        for one in self.by_id.values():
            group = self.groups.of(one.id)
            there = {self.by_id[at].channel for at in self.groups.members(group)}
            if there == everywhere or not self.free(one.id):
                continue
            for other in self._candidates(one, index):
                theirs = self.groups.of(other)
                pair = (min(one.id, other), max(one.id, other))
                if theirs == group or pair in tried or pair in self.decided.differ:
                    continue
                tried.add(pair)
                percent = self._percent(*pair)
                if percent >= ASK and self._may_join(*pair):
                    scores[group].append((percent, theirs, one.id, other))
                    scores[theirs].append((percent, group, other, one.id))
        return self._mutual(scores)

    def _mutual(
        self, scores: Mapping[int, list[tuple[int, int, int, int]]]
    ) -> list[tuple[int, int, int, int]]:
        best: dict[tuple[int, str], tuple[int, int, int, int, int]] = {}
        for group, found in scores.items():
            by_channel: dict[str, dict[int, tuple[int, int, int]]] = defaultdict(dict)
            for percent, theirs, own, other in found:
                known = by_channel[self.by_id[other].channel]
                if percent > known.get(theirs, (0, 0, 0))[0]:
                    known[theirs] = (percent, own, other)
            for channel, known in by_channel.items():
                ranked = sorted(((*score, theirs) for theirs, score in known.items()), reverse=True)
                percent, own, other, theirs = ranked[0]
                lead = percent - (ranked[1][0] if len(ranked) > 1 else 0)
                best[group, channel] = (percent, theirs, own, other, lead)
        pairs = {}
        for (group, _), (percent, theirs, own, other, lead) in best.items():
            back = best.get((theirs, self.by_id[own].channel))
            if back is not None and back[1] == group:
                key = (min(own, other), max(own, other))
                pairs[key] = (percent, own, other, min(lead, back[4]))
        return sorted(pairs.values(), key=lambda pair: (-pair[0], pair[1], pair[2]))

    def _index(self) -> dict[str, list[int]]:
        index: dict[str, list[int]] = defaultdict(list)
        for one, words in self.words.items():
            for word in words:
                index[word].append(one)
        return {word: ids for word, ids in index.items() if len(ids) <= COMMON}

    def _candidates(self, one: SeenListing, index: Mapping[str, Sequence[int]]) -> list[int]:
        """Returns listings of other channels that share most of the words that tell much."""
        counted: dict[int, float] = defaultdict(float)
        for word in self.words[one.id]:
            weight = self.weights.of(word)
            for other in index.get(word, ()):
                counted[other] += weight
        found = [
            other
            for other in counted
            if self.by_id[other].channel != one.channel and self.free(other)
        ]
        return sorted(found, key=lambda other: (-counted[other], other))[:TRIED]

    def _percent(self, first: int, second: int) -> int:
        """Returns how alike two listings are, from 0 to 100."""
        one, other = self.by_id[first], self.by_id[second]
        shared = self.weights.share(self.words[first], self.words[second])
        parts = [(0.7, shared.part)]
        if self.texts[first] and self.texts[second]:
            texts = self.text_weights.share(self.texts[first], self.texts[second])
            parts.append((0.1, texts.part))
        ratio = self.ratios.get((one.channel, other.channel))
        if ratio is not None and one.price and other.price:
            parts.append((0.15, _closeness(math.log(other.price / one.price) - ratio)))
        if one.weight_g and other.weight_g:
            parts.append((0.1, _closeness(math.log(other.weight_g / one.weight_g))))
        percent = 100 * sum(weight * part for weight, part in parts)
        percent /= sum(weight for weight, _ in parts)
        if self.brands.differ(one, other):  # a person may know better
            percent = min(percent - OTHER_BRAND, self.decided.mark - 1)
        if shared.only_first and shared.only_second:  # each says something else in its place
            percent -= REPLACED
        if self._contradicts(first, second, shared):
            percent = min(percent, CONTRADICTED)
        return max(0, min(97, round(percent)))

    def _contradicts(self, first: int, second: int, shared: Shared) -> bool:
        """Says whether each of two listings says something that the other says otherwise: another
        measure, or another of the words by which siblings differ.
        """
        if _measures(shared.only_first) and _measures(shared.only_second):
            return True
        return bool(shared.only_first & self.varying and shared.only_second & self.varying)


def _buckets(keyed: Iterable[tuple[str, int]]) -> list[list[int]]:
    found: dict[str, list[int]] = defaultdict(list)
    for key, one in keyed:
        if key:
            found[key].append(one)
    return [ids for ids in found.values() if len(ids) > 1]


def _telling_words(one: SeenListing, brands: Collection[str]) -> frozenset[str]:
    """Returns the words of a listing's title and trait values, without those of any brand."""
    values = " ".join(one.traits.values())
    words = frozenset((*words_of(one.title), *words_of(values)))
    return words - frozenset(brands) or words


def _measures(words: Collection[str]) -> set[str]:
    return {word for word in words if is_measure(word)}


def _closeness(difference: float) -> float:
    """Returns from 1 (equal) to 0 (a sixth apart or more) how close two amounts are, by the
    difference of their logarithms.
    """
    return max(0.0, 1 - abs(difference) / 0.16)


def varying_words(
    seen: Sequence[SeenListing], words: Mapping[int, frozenset[str]]
) -> frozenset[str]:
    """Returns the words by which siblings differ: values of traits, and words that alone tell two
    titles of one channel apart.
    """
    found = {
        word for one in seen for value in one.traits.values() if value for word in words_of(value)
    }
    without: dict[tuple[str, frozenset[str]], set[str]] = defaultdict(set)
    for one in seen:
        for word in words[one.id]:
            without[one.channel, words[one.id] - {word}].add(word)
    for (_, rest), others in without.items():
        if len(others) > 1 and rest:
            found |= others
    return frozenset(found)
