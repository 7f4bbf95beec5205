"""Families: how their variants are told apart, which combinations of traits there are, and which
traits a set of loose products suggests."""

import itertools
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import MOST_TRAITS, Trait
from relvan.core.refusal import Refusal, refuse

MOST_VARIANTS = 1_000


def combination_key(axes: Sequence[Trait], traits: Mapping[str, str]) -> str:
    """Returns the text by which two variants are the same: their values on every trait, without
    regard to case.

    >>> combination_key([Trait("Glaze"), Trait("Diameter")], {"glaze": "Ink", "Diameter": "14 cm"})
    'ink|14 cm'
    """
    by_name = {name.casefold(): value for name, value in traits.items()}
    return "|".join(by_name.get(trait.name.casefold(), "").strip().casefold() for trait in axes)


def check_traits(sku: str, axes: Sequence[Trait], traits: Mapping[str, str]) -> list[Refusal]:
    """Checks that a variant has a value on every trait of its family and on no other."""
    found = []
    known = {trait.name.casefold(): trait.name for trait in axes}
    given = {name.casefold(): value for name, value in traits.items() if value.strip()}
    for key, name in known.items():
        if key not in given:
            message = f"“{sku}” has no value for “{name}”."
            found.append(Refusal("missing", message, "Give it one.", Keyed.TRAIT.fact(name)))
    for key in given.keys() - known.keys():
        names = f"its traits are {', '.join(known.values())}" if known else "it has none yet"
        message = f"“{key}” is no trait of the family; {names}."
        found.append(
            Refusal("unknown", message, "Leave it out, or add the trait to the family.", "traits")
        )
    return found


def doubled(sku: str, other: str, axes: Sequence[Trait], traits: Mapping[str, str]) -> Refusal:
    """Returns the refusal of two variants with the same combination; it names both."""
    by_name = {name.casefold(): value for name, value in traits.items()}
    words = ", ".join(f"{trait.name} {by_name.get(trait.name.casefold(), '')}" for trait in axes)
    message = f"“{sku}” and “{other}” are both {words}."
    return Refusal("doubled", message, "Give one of them another value.", "traits")


def widen(axes: Sequence[Trait], traits: Mapping[str, str]) -> tuple[Trait, ...]:
    """Returns the family's traits with the values of a variant; values that are new come last."""
    by_name = {name.casefold(): value.strip() for name, value in traits.items()}
    found = []
    for trait in axes:
        value = by_name.get(trait.name.casefold(), "")
        known = {held.casefold() for held in trait.values}
        found.append(
            Trait(trait.name, (*trait.values, value))
            if value and value.casefold() not in known
            else trait
        )
    return tuple(found)


@dataclass(frozen=True)
class LooseProduct:
    """A product that may become a variant, with its title and attributes."""

    sku: str
    title: str
    attributes: Mapping[str, str]


@dataclass(frozen=True)
class Proposal:
    """The traits that were found in what differs between products, with the values by SKU, and the
    title that the products share."""

    title: str
    traits: tuple[str, ...]
    values: Mapping[str, Mapping[str, str]]

    @property
    def tells_apart(self) -> bool:
        """Whether every product has a combination of its own."""
        seen = [tuple(value.casefold() for value in held.values()) for held in self.values.values()]
        return len(set(seen)) == len(seen) and all(all(held) for held in seen)


def propose(members: Sequence[LooseProduct]) -> Proposal:
    """Proposes traits from what differs between products: first from their attributes, then from
    the words of their titles.

    An attribute is a trait when every product has it and its values differ; where two attributes
    always change together, the first one counts. The fewest traits that tell all products apart are
    taken, at most three. If attributes do not suffice, the titles are compared position by
    position.
    """
    by_attribute = _attribute_traits(members)
    by_title = _title_traits(members)
    for size in range(1, MOST_TRAITS + 1):
        for names in itertools.combinations([*by_attribute, *by_title], size):
            chosen = {name: {**by_title, **by_attribute}[name] for name in names}
            if _tells_apart(members, chosen):
                return _proposal(members, chosen)
    return _proposal(
        members, dict(itertools.islice({**by_attribute, **by_title}.items(), MOST_TRAITS))
    )


def _attribute_traits(members: Sequence[LooseProduct]) -> dict[str, list[str]]:
    lowered = [
        {name.casefold(): (name, value) for name, value in member.attributes.items()}
        for member in members
    ]
    found: dict[str, list[str]] = {}
    for key in lowered[0] if lowered else ():
        values = [held.get(key, ("", ""))[1] for held in lowered]
        if all(values) and len({value.casefold() for value in values}) > 1:
            found[lowered[0][key][0].capitalize()] = values
    return found


def _title_traits(members: Sequence[LooseProduct]) -> dict[str, list[str]]:
    """Finds traits in titles. Titles are split at commas, or at words where there are no commas;
    the parts that differ are traits."""
    titles = [member.title for member in members]
    parts = [[part.strip() for part in title.split(",")] for title in titles]
    if len({len(split) for split in parts}) != 1 or len(parts[0] if parts else []) == 1:
        parts = [title.split() for title in titles]
        if len({len(split) for split in parts}) != 1:
            parts = _between_common_words(titles)
    found: dict[str, list[str]] = {}
    for position in range(len(parts[0]) if parts else 0):
        values = [split[position] for split in parts]
        if len({value.casefold() for value in values}) > 1 and all(values):
            found[_name_for(values, len(found))] = _without_shared_words(values)
    return found


def _between_common_words(titles: Sequence[str]) -> list[list[str]]:
    """Returns what stands between the words that all titles begin with and those that they all end
    with."""
    words = [title.split() for title in titles]
    shortest = min(len(split) for split in words)
    start = 0
    while start < shortest and len({split[start].casefold() for split in words}) == 1:
        start += 1
    end = 0
    while end < shortest - start and len({split[-1 - end].casefold() for split in words}) == 1:
        end += 1
    return [[" ".join(split[start : len(split) - end])] for split in words]


def _without_shared_words(values: Sequence[str]) -> list[str]:
    """Removes the words that all values share: “rust glaze” and “ink glaze” become “rust” and
    “ink”. A shared last word stays when the values are measures, as in “14 cm” and “9 cm”."""
    split = [value.split() for value in values]
    if all(re.match(r"[Ø\d]", value) for value in values) or min(len(words) for words in split) < 2:
        return list(values)
    while (
        min(len(words) for words in split) > 1
        and len({words[-1].casefold() for words in split}) == 1
    ):
        split = [words[:-1] for words in split]
    while (
        min(len(words) for words in split) > 1
        and len({words[0].casefold() for words in split}) == 1
    ):
        split = [words[1:] for words in split]
    return [" ".join(words) for words in split]


def _name_for(values: Sequence[str], number: int) -> str:
    """Guesses the name of a trait from the form of its values."""
    if all(re.fullmatch(r"[Ø]?\s*[\d.,]+\s*(cm|mm|m|in)", value.strip()) for value in values):
        return "Size"
    if all(re.fullmatch(r"[\d.,]+\s*(l|ml|cl)", value.strip()) for value in values):
        return "Volume"
    if all(re.fullmatch(r"[\d.,]+\s*(g|kg)", value.strip()) for value in values):
        return "Weight"
    last = {value.split()[-1].casefold() for value in values if len(value.split()) > 1}
    if len(last) == 1 and all(len(value.split()) > 1 for value in values):
        return last.pop().capitalize()
    return "Sort" if number == 0 else f"Sort {number + 1}"


def _tells_apart(members: Sequence[LooseProduct], traits: Mapping[str, Sequence[str]]) -> bool:
    seen = {tuple(values[n].casefold() for values in traits.values()) for n in range(len(members))}
    return len(seen) == len(members)


def _proposal(members: Sequence[LooseProduct], traits: Mapping[str, Sequence[str]]) -> Proposal:
    values = {
        member.sku: {name: held[n] for name, held in traits.items()}
        for n, member in enumerate(members)
    }
    return Proposal(shared_title([member.title for member in members]), tuple(traits), values)


def shared_title(titles: Sequence[str]) -> str:
    """Returns the words that all titles begin with, without a comma or dash at the end.

    >>> shared_title(["Aubrey pot, ink glaze, 9 cm", "Aubrey pot, oat glaze, 9 cm"])
    'Aubrey pot'
    """
    split = [title.split() for title in titles]
    words: list[str] = []
    for group in zip(*split, strict=False):
        if len({word.casefold() for word in group}) > 1:
            break
        words.append(group[0])
    return " ".join(words).rstrip(" ,-") or (titles[0] if titles else "")


@dataclass(frozen=True)
class NewVariant:
    """A variant that is to be created, with its SKU, title and trait values."""

    sku: str
    title: str
    traits: Mapping[str, str]


def generate(sku_pattern: str, title_pattern: str, axes: Sequence[Trait]) -> list[NewVariant]:
    """Returns a variant for every combination of the traits' values, with its SKU and title filled
    in from patterns.

    In a pattern `{Glaze}` stands for a value, `{Glaze:3}` for its first three letters or digits in
    capitals, and `{#}` for a running number. Refused are traits without values, more than 1,000
    variants, unknown names in a pattern, and SKUs that come out twice.
    """
    counted = 1
    for trait in axes:
        if not trait.values:
            raise refuse("missing", f"“{trait.name}” has no values.", "Type at least one.", "axes")
        counted *= len(trait.values)
    if counted > MOST_VARIANTS:
        message = f"That makes {counted:,} variants; at most {MOST_VARIANTS:,} may be made at once."
        raise refuse("too-many", message, "Take fewer values.", "axes")
    found = []
    for number, values in enumerate(itertools.product(*(trait.values for trait in axes)), 1):
        traits = {trait.name: value for trait, value in zip(axes, values, strict=True)}
        sku = fill_pattern(sku_pattern, traits, number)
        found.append(NewVariant(sku, fill_pattern(title_pattern, traits, number), traits))
    seen: dict[str, NewVariant] = {}
    for variant in found:
        if (other := seen.setdefault(variant.sku.casefold(), variant)) is not variant:
            words = " and ".join(" ".join(held.traits.values()) for held in (other, variant))
            message = f"“{variant.sku}” would be the SKU of both {words}."
            raise refuse(
                "twice", message, "Put more of the traits into the pattern.", "sku_pattern"
            )
    return found


def fill_pattern(pattern: str, traits: Mapping[str, str], number: int) -> str:
    """Fills the places of a pattern.

    >>> fill_pattern("PT-{Diameter:2}-{Glaze:3}", {"Glaze": "Celadon", "Diameter": "14 cm"}, 1)
    'PT-14-CEL'
    """
    by_name = {name.casefold(): value for name, value in traits.items()}

    def filled(match: re.Match[str]) -> str:
        name, _, length = match[1].partition(":")
        if name.strip() == "#":
            return str(number)
        value = by_name.get(name.strip().casefold())
        if value is None:
            names = ", ".join(f"{{{known}}}" for known in traits)
            message = f"“{match[0]}” is no trait; there are {names}."
            raise refuse("unknown", message, "Correct the pattern.", "sku_pattern")
        if not length:
            return value
        letters = re.sub(r"[\W_]", "", value).upper()
        return letters[: int(length)] if length.strip().isdigit() else value

    return re.sub(r"\{([^{}]*)\}", filled, pattern).strip()
