"""Renders templates: the seller's locale for numbers, money and dates; static files under a hash of their content."""

import hashlib
from datetime import UTC, datetime
from decimal import Decimal
from functools import cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from babel.dates import format_datetime, format_timedelta
from babel.numbers import format_currency, format_decimal
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup

from relvan.core.money import as_decimal
from relvan.core.orders.trays import TRAY_NAMES
from relvan.settings import Settings

HERE = Path(__file__).parent
STATIC = HERE / "static"


@cache
def static_path(name: str) -> str:
    """The address of a static file, with a hash of its content, so that it may be kept for ever."""
    digest = hashlib.sha256((STATIC / name).read_bytes()).hexdigest()[:10]
    return f"/static/{name}?v={digest}"


def make_environment(settings: Settings) -> Environment:
    """The templates with the seller's filters."""
    environment = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    zone = ZoneInfo(settings.time_zone)

    def money(amount: int | None, currency: str = settings.currency) -> str:
        if amount is None:
            return ""
        return format_currency(as_decimal(amount, currency), currency, locale=settings.locale)

    def amount(value: int | None, currency: str = settings.currency) -> str:
        """A plain figure for an input."""
        return "" if value is None else str(as_decimal(value, currency))

    def number(value: float | Decimal | None) -> str:
        return "" if value is None else format_decimal(value, locale=settings.locale)

    def exact(moment: datetime | None) -> str:
        if moment is None:
            return ""
        return str(format_datetime(moment.astimezone(zone), "d MMM y, HH:mm", locale=settings.locale))

    def when(moment: datetime | None) -> Markup:
        if moment is None:
            return Markup("")
        delta = moment - datetime.now(UTC)
        words = format_timedelta(delta, add_direction=True, locale=settings.locale, threshold=1.2)
        if abs(delta.total_seconds()) < 45:
            words = "just now"
        return Markup('<time datetime="{}" title="{}">{}</time>').format(moment.isoformat(), exact(moment), words)

    def grams(value: int | None) -> str:
        if value is None:
            return ""
        return f"{number(value)} g" if value < 1000 else f"{format_decimal(value / 1000, '0.###', settings.locale)} kg"

    environment.filters |= {
        "money": money,
        "amount": amount,
        "number": number,
        "when": when,
        "exact": exact,
        "grams": grams,
        "tray": lambda tray: TRAY_NAMES[tray],
    }
    environment.globals |= {"static": static_path, "demo": settings.demo}
    return environment


def render(environment: Environment, name: str, values: dict[str, Any]) -> str:
    """Render one template."""
    return environment.get_template(name).render(**values)
