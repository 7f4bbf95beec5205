"""Texts of mails, and which of them is used for an order. See docs/rules.md, “Mail”.

A text is for one event. It may be for one channel or one language alone; the nearest one is used.
Subject and text are wording in the sandbox of `core/listings/wording.py`.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from typing import Any

from babel import Locale, UnknownLocaleError
from babel.languages import get_official_languages

from relvan.core.listings.wording import check_wording, fill
from relvan.core.refusal import Refusal

MOST_NAME = 80
MOST_SUBJECT = 300
NO_CHANNEL = "none"


class MailEvent(StrEnum):
    """What a mail tells a customer of. A mail `BY_HAND` is only sent when somebody or a rule says
    so."""

    TAKEN = "taken"
    PAID = "paid"
    SHIPPED = "shipped"
    DELIVERED = "delivered"
    LATE = "late"
    INVOICED = "invoiced"
    CANCELLED = "cancelled"
    REFUNDED = "refunded"
    ESTIMATE = "estimate"
    BY_HAND = "by-hand"


EVENT_NAMES: Mapping[MailEvent, str] = {
    MailEvent.TAKEN: "an order is taken in",
    MailEvent.PAID: "an order is paid in full",
    MailEvent.SHIPPED: "a shipment leaves",
    MailEvent.DELIVERED: "a parcel has arrived",
    MailEvent.LATE: "a parcel is late or lost",
    MailEvent.INVOICED: "an invoice is issued, with its paper",
    MailEvent.CANCELLED: "an order is cancelled",
    MailEvent.REFUNDED: "a credit note is issued, with its paper",
    MailEvent.ESTIMATE: "an estimate is mailed, with its paper",
    MailEvent.BY_HAND: "somebody or a rule sends it",
}
# the places that a text can name, by group
PLACES: Mapping[str, tuple[str, ...]] = {
    "firm": ("name", "mail"),
    "customer": ("name", "mail"),
    "order": (
        "number",
        "channel_number",
        "reference",
        "placed",
        "promised",
        "total",
        "owed",
        "link",
    ),
    "address": ("name", "street", "postcode", "town", "country"),
    "lines": ("sku", "title", "quantity", "price", "total"),
    "parcels": ("carrier", "tracking_number"),
    "invoice": ("number", "total", "due_on"),
    "estimate": ("number", "total", "last_day", "link"),
}
MANY = ("lines", "parcels")


@dataclass(frozen=True)
class MailText:
    """A text: its name, its event, the channel and the language that it is for (nothing for all),
    its subject and text, and whether it is sent by itself when the event happens."""

    name: str
    event: MailEvent
    subject: str
    text: str
    channel: str = ""
    language: str = ""
    automatic: bool = False
    id: int = 0


@dataclass(frozen=True)
class WrittenMail:
    """Subject and text with everything in its place, and the places that could not be filled."""

    subject: str
    text: str
    missing: tuple[str, ...] = ()


def choose_text(
    texts: Sequence[MailText], event: MailEvent, channel: str, languages: Sequence[str]
) -> MailText | None:
    """Returns the text for an event of an order: that for its channel before that for all, then that
    for the first of the languages that there is, then that for all languages."""

    def rank(text: MailText) -> tuple[int, int, int] | None:
        if text.event != event or text.channel not in ("", channel):
            return None
        if text.language and text.language not in languages:
            return None
        near = languages.index(text.language) if text.language else len(languages)
        return (0 if text.channel else 1, near, text.id)

    ranked = [(found, text) for text in texts if (found := rank(text)) is not None]
    return min(ranked, key=lambda pair: pair[0])[1] if ranked else None


@cache
def languages_of(country: str, own: str) -> tuple[str, ...]:
    """Returns the languages in which a customer in a country is written to, the first one first:
    those that are official there, then the seller's own.

    Source: the Unicode Common Locale Data Repository, as Babel ships it.

    >>> languages_of("AT", "en_IE"), languages_of("BE", "en_IE")
    (('de', 'en'), ('nl', 'fr', 'de', 'en'))
    """
    found = get_official_languages(country, de_facto=True) if country else ()
    return tuple(dict.fromkeys([*found, own.partition("_")[0]]))


def write_mail(text: MailText, places: Mapping[str, Any]) -> WrittenMail:
    """Returns a text with an order's values in their places. Line breaks of a subject become spaces."""
    subject = fill(text.subject, places)
    body = fill(text.text, places)
    line = " ".join(subject.text.split())[:MOST_SUBJECT]
    return WrittenMail(line, body.text, tuple(dict.fromkeys((*subject.missing, *body.missing))))


def check_mail_text(text: MailText, channels: Sequence[str]) -> list[Refusal]:
    """Checks a text before it is saved; `channels` are the keys that there are."""
    found = []
    if not 1 <= len(text.name.strip()) <= MOST_NAME:
        message = f"“Name” must have 1 to {MOST_NAME} characters."
        found.append(Refusal("form", message, "Say in a few words what it is for.", "name"))
    if text.channel and text.channel not in (*channels, NO_CHANNEL):
        message = f"There is no channel “{text.channel[:40]}”."
        found.append(Refusal("not-found", message, "Choose one of the list.", "channel"))
    if text.language and text.language not in language_names("en"):
        message = f"“{text.language[:10]}” is not the code of a language."
        found.append(Refusal("not-allowed", message, "Type it like de or nl.", "language"))
    for name, value in (("subject", text.subject), ("text", text.text)):
        if not value.strip():
            message = f"“{name.capitalize()}” must not be empty."
            found.append(Refusal("missing", message, "Write it.", name))
        found += check_wording(value, name)
    if len(text.subject) > MOST_SUBJECT:
        message = f"“Subject” must have at most {MOST_SUBJECT} characters."
        found.append(Refusal("too-long", message, "Shorten it.", "subject"))
    if text.automatic and text.event in (MailEvent.BY_HAND, MailEvent.ESTIMATE):
        message = "This text has no event that could send it by itself."
        found.append(Refusal("not-allowed", message, "Leave it to be sent by hand.", "automatic"))
    if not found:
        strange = write_mail(text, example_places()).missing
        found += [
            Refusal("unknown", f"There is no place “{name}”.", "See the list of places.", "text")
            for name in strange[:3]
        ]
    return found


def example_places() -> dict[str, Any]:
    """Returns a value for every place that there is."""
    filled = {group: dict.fromkeys(names, "x") for group, names in PLACES.items()}
    return {group: [told] if group in MANY else told for group, told in filled.items()}


@cache
def language_names(locale: str) -> dict[str, str]:
    """Returns languages by their ISO 639-1 codes, named in a locale's language.

    >>> language_names("en")["nl"]
    'Dutch'
    """
    try:
        named = Locale.parse(locale).languages
    except UnknownLocaleError:
        named = Locale.parse("en").languages
    found = {code: name for code, name in named.items() if len(code) == 2}
    return dict(sorted(found.items(), key=lambda pair: pair[1]))


def places_in_words() -> list[tuple[str, Sequence[str]]]:
    """Returns how every place is written, by group; those of which there are many stand in a loop."""
    found: list[tuple[str, Sequence[str]]] = []
    for group, names in PLACES.items():
        one = group[:-1] if group in MANY else group
        found.append((group, [f"{one}.{name}" for name in names]))
    return found
