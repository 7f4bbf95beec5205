"""Says which brand a listing names, and where a difference of brands tells anything."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence

from relvan.core.move_in.seen import SeenListing
from relvan.core.move_in.words import words_of

SAME = 0.9  # brands tell something where so many of the joined pairs name the same one


class Brands:
    """The brands that listings name: in the field for it, else in the title, where another listing
    has that brand in its field."""

    def __init__(self, seen: Sequence[SeenListing]) -> None:
        names = {frozenset(words_of(one.brand)) for one in seen} - {frozenset()}
        self.words = frozenset(word for name in names for word in name)
        self._named = {one.id: _named(one, names) for one in seen}
        self._deaf: set[tuple[str, str]] = set()

    def learn(self, joined: Iterable[tuple[SeenListing, SeenListing]]) -> None:
        """Learns from pairs that are the same goods between which channels a difference tells
        nothing: some channels name the maker and others the seller."""
        counted: dict[tuple[str, str], list[bool]] = defaultdict(list)
        for one, other in joined:
            if self._named[one.id] and self._named[other.id]:
                same = bool(self._named[one.id] & self._named[other.id])
                counted[one.channel, other.channel].append(same)
                counted[other.channel, one.channel].append(same)
        self._deaf = {pair for pair, same in counted.items() if sum(same) < SAME * len(same)}

    def differ(self, one: SeenListing, other: SeenListing) -> bool:
        """Says whether two listings name different brands, where that tells anything."""
        first, second = self._named[one.id], self._named[other.id]
        if not first or not second or first & second:
            return False
        return (one.channel, other.channel) not in self._deaf


def _named(one: SeenListing, names: Collection[frozenset[str]]) -> frozenset[str]:
    if one.brand.strip():
        return frozenset(words_of(one.brand))
    title = frozenset(words_of(one.title))
    return frozenset(word for name in names if name <= title for word in name)
