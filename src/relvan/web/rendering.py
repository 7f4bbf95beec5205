"""Renders templates in the seller's locale for numbers, money and dates, and serves static files
under a hash of their content.
"""

import hashlib
import json
import re
from collections.abc import Callable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import cache, lru_cache
from pathlib import Path
from types import SimpleNamespace
from typing import Any
from zoneinfo import ZoneInfo

from babel import Locale
from babel.dates import format_date, format_datetime, format_timedelta
from babel.numbers import format_currency, format_decimal
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from jinja2.runtime import Macro
from markupsafe import Markup

from relvan.core.catalogue.facts import NAMES, label_of
from relvan.core.catalogue.keyed import Keyed, list_of_fact
from relvan.core.channels.sending import UpdateState
from relvan.core.listings.state import STATE_WORDS
from relvan.core.money import as_decimal
from relvan.core.prices.sales import SALE_OF
from relvan.services.workplace import Workplace
from relvan.web.addresses import address_of
from relvan.web.rooms import ROOMS, STATIONS
from relvan.web.words import PRODUCT_FILES, WORDS, error_title, tone_of

HERE = Path(__file__).parent
STATIC = HERE / "static"
HTMX = {
    "includeIndicatorStyles": False,
    "allowEval": False,
    "selfRequestsOnly": True,
    "historyCacheSize": 0,
}
# a style sheet for each part of the page, in the order in which they are linked: later ones may
# change earlier ones
STYLE = (
    "base",
    "frame",
    "bare",
    "page",
    "sentence",
    "orders",
    "tables",
    "forms",
    "drawer",
    "today",
    "catalogue",
    "listings",
    "dispatch",
    "drawings",
    "narrow",
)
PIECES = ("fields", "words", "drawings", "lists")  # files of macros in templates/parts
MONEY_FIELDS = (
    "price ",
    "break ",
    "cost",
    "delivery cost",
    "delivery_cost",
    "floor",
    "advertised_minimum",
    "ceiling",
    "paid",
)
MOST_TOLD = 240
# returns the currency of each price list by its key; the page that is rendered knows them
LIST_CURRENCIES: ContextVar[Callable[[], Mapping[str, str]]] = ContextVar("list_currencies")


# name and hue of every tray, by its key
TRAYS: ContextVar[Callable[[], Mapping[str, tuple[str, str]]]] = ContextVar("trays")


def tray_name(key: str) -> str:
    """Returns the name of a tray; one that was deleted is told by its key."""
    known = TRAYS.get(None)
    return (known() if known else {}).get(key, (key, ""))[0]


def tray_hue(key: str) -> str:
    """Returns the hue under the name of a tray."""
    known = TRAYS.get(None)
    return (known() if known else {}).get(key, ("", "slate"))[1]


@cache
def static_path(name: str) -> str:
    """Returns the address of a static file with a hash of its content, so that browsers may keep it
    for ever.
    """
    digest = hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:10]
    return f"/static/{name}?v={digest}"


def _currency_of(fact: str) -> str:
    """Returns the currency of the price list that a fact names, or "" for the seller's own."""
    key, known = list_of_fact(fact), LIST_CURRENCIES.get(None)
    return known().get(key, "") if key is not None and known is not None else ""


class SellersHand:
    """Writes numbers, money and times as the seller does. Texts that are written often are
    remembered.
    """

    def __init__(
        self, currency: str = "EUR", locale: str = "en_IE", time_zone: str = "Europe/Dublin"
    ) -> None:
        self.currency = currency
        self.locale = Locale.parse(locale)
        self.zone = ZoneInfo(time_zone)
        self._money = lru_cache(20_000)(self._write_money)
        self._number = lru_cache(5_000)(self._write_number)
        self._ago = lru_cache(5_000)(self._write_ago)
        self._time = lru_cache(20_000)(self._write_time)

    def money(self, amount: int | None, currency: str = "") -> str:
        """Returns an amount of minor units with its currency; empty when there is no amount."""
        return "" if amount is None else self._money(amount, currency or self.currency)

    def amount(self, value: int | None, currency: str = "") -> str:
        """Returns a plain figure for an input."""
        return "" if value is None else str(as_decimal(value, currency or self.currency))

    def number(self, value: float | None) -> str:
        """Returns a number with the seller's separators."""
        return "" if value is None else self._number(value)

    def grams(self, value: int | None) -> str:
        """Returns a weight: in grams below a kilogram, in kilograms above."""
        if value is None:
            return ""
        if value < 1000:
            return f"{self.number(value)} g"
        return f"{format_decimal(value / 1000, '0.###', self.locale)} kg"

    def day(self, text: str) -> str:
        """Returns a day given as ISO 8601 in the seller's form."""
        return str(format_date(date.fromisoformat(text), "EEE d MMM", locale=self.locale))

    def full_day(self, text: str) -> str:
        """Returns a day given as ISO 8601 in the seller's form, with its year."""
        return str(format_date(date.fromisoformat(text), "EEE d MMM y", locale=self.locale))

    def when(self, moment: datetime | None) -> Markup:
        """Returns a moment as people say it, with the exact time on hover."""
        if moment is None:
            return Markup("")
        seconds = (moment - datetime.now(UTC)).total_seconds()
        words = "just now" if abs(seconds) < 45 else self._ago(round(seconds / 60))
        return self._time(moment, words)

    def moment(self, at: datetime) -> str:
        """Returns a moment of the next days by the firm's clock, as in “16:00” or “Mon 16:00”."""
        here = at.astimezone(self.zone)
        today = datetime.now(UTC).astimezone(self.zone).date()
        form = "HH:mm" if here.date() == today else "EEE HH:mm"
        return str(format_datetime(here, form, tzinfo=self.zone, locale=self.locale))

    def told(self, value: Any, name: str = "") -> str:
        """Returns a value of the history in words: money by its field's name, lists and settings
        without brackets.
        """
        if value in (None, "", [], {}, False):
            return "nothing"
        if name.startswith(SALE_OF) and isinstance(value, dict):
            return self._sale(value, name.removeprefix(SALE_OF))
        if name == "tray":
            return tray_name(value)
        if value is True:
            return "yes"
        if isinstance(value, int) and not isinstance(value, bool) and name.startswith(MONEY_FIELDS):
            return self.money(value, _currency_of(name))
        if name == "pictures" and isinstance(value, list):
            return f"{self.number(len(value))} {'picture' if len(value) == 1 else 'pictures'}"
        if isinstance(value, int) and name in NAMES and NAMES[name].unit:
            return f"{self.number(value)} {NAMES[name].unit}"
        if isinstance(value, dict):
            return ", ".join(
                f"{key.replace('_', ' ')} {self.told(part)}" for key, part in value.items() if part
            )
        if isinstance(value, list):
            if all(
                isinstance(part, list) and len(part) == 2 for part in value
            ):  # parts of a kit, traits of a family
                return "; ".join(f"{name}: {self.told(held)}" for name, held in value)
            return "; ".join(self.told(part) for part in value)
        text = str(value)
        return text if len(text) <= MOST_TOLD else f"{text[:MOST_TOLD]}…"

    def _sale(self, kept: Mapping[str, Any], key: str) -> str:
        """Returns a sale price of the history on the list with a key, with its window by the
        seller's clock.
        """
        since, until = (
            format_datetime(
                datetime.fromisoformat(kept[end]), "short", tzinfo=self.zone, locale=self.locale
            )
            for end in ("since", "until")
        )
        amount = self.money(kept["amount"], _currency_of(Keyed.PRICE.fact(key)))
        return f"{amount} from {since} until {until}"

    def _write_time(self, moment: datetime, words: str) -> Markup:
        exact = format_datetime(moment, "medium", tzinfo=self.zone, locale=self.locale)
        return Markup('<time datetime="{}" title="{}">{}</time>').format(
            moment.isoformat(), exact, words
        )

    def _write_number(self, value: float) -> str:
        return str(format_decimal(value, locale=self.locale))

    def _write_money(self, amount: int, currency: str) -> str:
        written = str(format_currency(as_decimal(amount, currency), currency, locale=self.locale))
        # a sign of letters keeps its distance: CLDR says so, its library does not do it
        return re.sub(r"^(-?[A-Za-z]+)(?=\d)", "\\1\u00a0", written)

    def _write_ago(self, minutes: int) -> str:
        delta = timedelta(minutes=minutes)
        return str(format_timedelta(delta, add_direction=True, locale=self.locale, threshold=1))


UPDATE_WORDS = {UpdateState.REPLACED: "replaced"}  # states of updates that are kept by another word


def fact_name(name: str) -> str:
    """Returns the label of a detail in the history, also of one that belongs to no product."""
    return label_of(name) if name in NAMES or " " in name else name.replace("_", " ")


def environment_of(workplace: Workplace) -> Environment:
    """Returns the templates with the firm's way to write numbers, dates and money. They are
    compiled once for all applications in a process whose firms write alike.
    """
    firm, demo = workplace.firm, workplace.settings.demo
    return _environment(firm.currency, firm.locale, firm.time_zone, demo=demo)


@lru_cache(maxsize=4)
def _environment(currency: str, locale: str, time_zone: str, *, demo: bool) -> Environment:
    environment = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    seller = SellersHand(currency, locale, time_zone)
    environment.filters |= {
        "money": seller.money,
        "amount": seller.amount,
        "number": seller.number,
        "when": seller.when,
        "moment": seller.moment,
        "day": seller.day,
        "full_day": seller.full_day,
        "grams": seller.grams,
        "told": seller.told,
        "fact": fact_name,
        "tray": tray_name,
        "hue": tray_hue,
        "tone": tone_of,
        "error_title": error_title,
        "state": lambda state: STATE_WORDS.get(state) or UPDATE_WORDS.get(state, state),
    }
    environment.globals |= {
        "static": static_path,
        "demo": demo,
        "url_for": address_of,
        "stations": STATIONS,
        "all_rooms": ROOMS,
        "words": WORDS,
        "product_files": PRODUCT_FILES,
        "htmx_settings": json.dumps(HTMX),
        "style_sheets": [f"css/{part}.css" for part in STYLE],
    }
    environment.globals["m"] = _pieces(environment)
    return environment


def _pieces(environment: Environment) -> SimpleNamespace:
    """Returns the macros of all files of pieces, under one name."""
    pieces = SimpleNamespace()
    for kind in PIECES:
        module = environment.get_template(f"parts/{kind}.html").module
        vars(pieces).update(
            {name: macro for name, macro in vars(module).items() if isinstance(macro, Macro)}
        )
    for name in (
        "icon",
        "gauge",
    ):  # drawn many times on a page, and always the same for the same figures
        setattr(pieces, name, lru_cache(4_096)(getattr(pieces, name)))
    return pieces


@dataclass(frozen=True)
class Known:
    """What filters look up when a template asks for it: the currency of each price list, and the
    name and hue of each tray."""

    currencies: Callable[[], Mapping[str, str]] = dict
    trays: Callable[[], Mapping[str, tuple[str, str]]] = dict


def render(
    environment: Environment, name: str, values: dict[str, Any], known: Known | None = None
) -> str:
    """Renders one template. What is `known` is only looked up where the template needs it."""
    known = known or Known()
    token, trays = LIST_CURRENCIES.set(cache(known.currencies)), TRAYS.set(known.trays)
    try:
        return environment.get_template(name).render(**values)
    finally:
        LIST_CURRENCIES.reset(token)
        TRAYS.reset(trays)
