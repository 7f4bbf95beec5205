"""Translates our names and values of traits and attributes into the channel's words: by a table,
and otherwise by a suggestion of the most similar word."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from relvan.core.listings.likeness import nearest
from relvan.core.listings.rulebook import FieldRule, Rulebook


class TranslationKind(StrEnum):
    """What is translated: the name of a trait, the attribute that feeds a field, or a value of
    either."""

    TRAIT = "trait"
    ATTRIBUTE = "attribute"
    VALUE = "value"


TRAIT, VALUE = TranslationKind.TRAIT.value, TranslationKind.VALUE.value


@dataclass(frozen=True)
class Translation:
    """Our word and the channel's, in one of its categories or (with "") in all.

    For a trait `field` is empty. For an attribute `ours` is its name and `field` is the channel's
    field that it feeds. For a value `field` is the channel's field or trait.
    """

    kind: TranslationKind
    field: str
    ours: str
    theirs: str
    category: str = ""


@dataclass(frozen=True)
class Translations:
    """The translations of one channel. An entry for the category itself goes before one for all
    categories."""

    _theirs: Mapping[tuple[str, str, str, str], str] = field(default_factory=dict)
    _feeds: Mapping[tuple[str, str], str] = field(default_factory=dict)

    @classmethod
    def of(cls, entries: Iterable[Translation]) -> "Translations":
        """Makes the table from entries."""
        theirs, feeds = {}, {}
        for entry in entries:
            if entry.kind == TranslationKind.ATTRIBUTE:
                feeds[entry.category, entry.field] = entry.ours
            else:
                theirs[
                    entry.category, entry.kind.value, entry.field.casefold(), entry.ours.casefold()
                ] = entry.theirs
        return cls(theirs, feeds)

    def value(self, category: str, field_name: str, ours: str) -> str:
        """Returns the channel's word for a value of a field or trait, or ""."""
        return (
            self._find(category, VALUE, field_name.casefold(), ours.casefold())
            if self._theirs
            else ""
        )

    def trait(self, category: str, ours: str) -> str:
        """Returns the channel's word for the name of a trait, or ""."""
        return self._find(category, TRAIT, "", ours.casefold()) if self._theirs else ""

    def origin(self, category: str, rule: FieldRule) -> str:
        """Returns what feeds a field of the channel: the attribute that the table names, else what
        the channel requirements say."""
        named = self._feeds and (
            self._feeds.get((category, rule.name)) or self._feeds.get(("", rule.name))
        )
        return f"attributes.{named}" if named else rule.origin

    def _find(self, category: str, kind: str, name: str, ours: str) -> str:
        return self._theirs.get((category, kind, name, ours)) or self._theirs.get(
            ("", kind, name, ours), ""
        )


UNTRANSLATED = Translations()


@dataclass(frozen=True)
class TraitValue:
    """One trait of a variant in the channel's words; `lacks` says whether its name or its value is
    not translated."""

    ours: str
    our_value: str
    theirs: str
    value: str
    lacks: str = ""
    suggestion: str = ""


def translate_traits(
    book: Rulebook, category: str, traits: Mapping[str, str], translations: Translations
) -> tuple[TraitValue, ...]:
    """Returns the traits of a variant in the channel's words, in the order of the family's traits."""
    return tuple(
        _trait(book, category, name, value, translations) for name, value in traits.items()
    )


def _trait(
    book: Rulebook, category: str, ours: str, value: str, translations: Translations
) -> TraitValue:
    known = book.traits.names_for(category)
    theirs = translations.trait(category, ours) or _same(ours, known) or ("" if known else ours)
    if not theirs:
        return TraitValue(ours, value, "", "", "name", nearest(ours, known))
    rule = book.field(theirs)
    allowed = rule.choices if rule else ()
    said = translations.value(category, theirs, value)
    if not said and allowed:
        said = _same(value, allowed)
    elif not said:
        said = value if len(value) <= book.traits.most_each else ""
    if not said or (allowed and said not in allowed):
        return TraitValue(ours, value, theirs, said or value, "value", nearest(value, allowed))
    return TraitValue(ours, value, theirs, said)


def _same(name: str, known: Iterable[str]) -> str:
    return next((one for one in known if one.casefold() == name.casefold()), "")


def suggest(ours: str, allowed: Iterable[str], used: Mapping[str, str]) -> tuple[str, str]:
    """Returns a proposal for a value that is not translated, and why: the word that is used for the
    same value elsewhere, else the most similar one.

    `used` maps our value in lower case to the channel's, wherever it was translated before.
    """
    choices = list(allowed)
    elsewhere = used.get(ours.casefold(), "")
    if elsewhere and (not choices or elsewhere in choices):
        return elsewhere, "used elsewhere"
    like = nearest(ours, choices)
    return (like, "alike") if like else ("", "")
