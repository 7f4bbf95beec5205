"""Builds the sentence bar, which says in words what a page shows and is the filter at the same
time. The URL holds all of it.
"""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from urllib.parse import urlencode

from relvan.core.refusal import refuse

NO_CHIPS = ("q", "after", "toast", "sort")


@dataclass(frozen=True)
class Choice:
    """One value of a chip, and the words for it in the sentence."""

    value: str
    words: str


@dataclass(frozen=True)
class Chip:
    """One part of the sentence that can be chosen. With `many`, several values can be, of which one
    is enough; the URL has them with commas between."""

    key: str
    title: str
    choices: tuple[Choice, ...]
    many: bool = False

    def words_for(self, value: str) -> str:
        """Returns the words for a value, or for several, in the sentence."""
        words = {choice.value: choice.words for choice in self.choices}
        return " or ".join(words.get(one, one) for one in self.values_in(value))

    def values_in(self, value: str) -> tuple[str, ...]:
        """Returns the values that were chosen."""
        return tuple(value.split(",")) if self.many and value else (value,) if value else ()

    def offers(self, value: str) -> bool:
        """Says whether everything that was chosen is among the choices."""
        known = {choice.value for choice in self.choices}
        return bool(value) and set(self.values_in(value)) <= known


@dataclass(frozen=True)
class Sentence:
    """A noun, the chips chosen, and the words searched for; `path` is the page's own."""

    noun: str
    path: str
    chips: tuple[Chip, ...]
    chosen: Mapping[str, str] = field(default_factory=dict)
    words: str = ""
    hint: str = ""
    sort: str = ""

    @property
    def parts(self) -> list[tuple[Chip, str]]:
        """Returns the chips in the sentence, each with its words."""
        return [
            (chip, chip.words_for(self.chosen[chip.key]))
            for chip in self.chips
            if self.chosen.get(chip.key)
        ]

    @property
    def open_chips(self) -> list[Chip]:
        """Returns the chips that can still be added."""
        return [chip for chip in self.chips if not self.chosen.get(chip.key)]

    @property
    def query(self) -> str:
        """Returns the sentence as a query string."""
        return urlencode(
            {
                **{k: v for k, v in self.chosen.items() if v},
                **({"q": self.words} if self.words else {}),
            }
        )

    def url(self, key: str = "", value: str = "", **more: str) -> str:
        """Returns the address of the page with one chip changed, or without it when the value is
        empty.
        """
        chosen = {**self.chosen, **({key: value} if key else {})}
        pairs = {
            k: v for k, v in {**chosen, "q": self.words, "sort": self.sort, **more}.items() if v
        }
        return f"{self.path}?{urlencode(pairs)}" if pairs else self.path

    def choice_url(self, chip: Chip, value: str) -> str:
        """Returns the address of the page with a value chosen; of a chip that takes many, with the
        value added, or left out if it was chosen.
        """
        if not chip.many:
            return self.url(chip.key, value)
        chosen = chip.values_in(self.chosen.get(chip.key, ""))
        rest = [one for one in chosen if one != value]
        return self.url(chip.key, ",".join(rest if value in chosen else [*chosen, value]))

    def is_chosen(self, chip: Chip, value: str) -> bool:
        """Says whether a value of a chip is chosen."""
        return value in chip.values_in(self.chosen.get(chip.key, ""))

    def values(self, key: str) -> tuple[str, ...]:
        """Returns the values that are chosen of a chip that takes many."""
        return tuple(value for value in self.chosen.get(key, "").split(",") if value)

    def sort_url(self, name: str) -> str:
        """Returns the address of the page sorted by a column; in the other direction when it is
        sorted by that column already.
        """
        return self.url(sort=f"-{name}" if self.sort == name else name)

    def sorted_by(self, name: str) -> str:
        """Returns how a column is sorted, as the head of a table says it: ascending, descending, or
        none.
        """
        return {name: "ascending", f"-{name}": "descending"}.get(self.sort, "none")


@dataclass(frozen=True)
class ListKind:
    """The kind of a list: its noun, its path, a hint at the words that find something in it, and
    the columns by which it can be sorted.
    """

    noun: str
    path: str
    hint: str = ""
    sorts: Collection[str] = ()


def read_sentence(
    kind: ListKind, chips: tuple[Chip, ...], query: Mapping[str, str], *, strict: bool = False
) -> Sentence:
    """Returns the sentence of a request.

    A value that no chip offers is ignored on a page that only shows something. With `strict`, which
    an action on everything that matches needs, it is refused, because the action would be done to
    more than was shown.

    Raises:
        Refused: with `strict`, if the query says something that the sentence cannot.
    """
    chosen = {chip.key: query[chip.key] for chip in chips if chip.offers(query.get(chip.key, ""))}
    unread = [
        key for key, value in query.items() if value and key not in chosen and key not in NO_CHIPS
    ]
    if strict and unread:
        message = f"“{unread[0]}: {query[unread[0]][:40]}” narrows this list no longer."
        raise refuse(
            "moved-on", message, "Load the list again, and choose what it shows now.", "pick"
        )
    sort = query.get("sort", "")
    sort = sort if sort.removeprefix("-") in kind.sorts else ""
    return Sentence(
        kind.noun, kind.path, chips, chosen, query.get("q", "").strip()[:100], kind.hint, sort
    )
