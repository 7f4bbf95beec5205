"""Reads what a person typed into a form, and gathers what is wrong with it, field by field."""

import re
from collections.abc import Mapping
from datetime import date
from decimal import Decimal, InvalidOperation

from relvan.core.money import parse_amount
from relvan.core.refusal import Refusal, Refused, refuse

PLAIN = re.compile(r"[+-]?[0-9]{1,9}")
# "1,000" and "1 000" are a thousand; "1,5" is no whole number
GROUPED = re.compile(r"[+-]?[0-9]{1,3}([ ,\u00a0\u202f][0-9]{3}){1,2}")


class FormReader:
    """A posted form, from which it returns typed values while it gathers refusals."""

    def __init__(self, form: Mapping[str, str]) -> None:
        self.form = form
        self.refusals: list[Refusal] = []

    def text(self, name: str) -> str:
        """Returns a text without space around it."""
        return self.form.get(name, "").strip()

    def lines(self, name: str) -> str:
        """Returns a text of several lines, with one character for each line end."""
        return self.form.get(name, "").replace("\r\n", "\n").strip()

    def whole(self, name: str, label: str) -> int | None:
        """Returns a whole number, or None when the field is empty."""
        typed = self.text(name)
        if not typed:
            return None
        if GROUPED.fullmatch(typed):
            typed = re.sub(r"[ ,\u00a0\u202f]", "", typed)
        if not PLAIN.fullmatch(typed):
            message = f"“{label}” must be a whole number; it got “{self.text(name)[:30]}”."
            self.refusals.append(Refusal("form", message, "Type digits only.", name))
            return None
        return int(typed)

    def needed_whole(self, name: str, label: str) -> int:
        """Returns a whole number that must be there; it returns 0 beside the refusal when it is
        not.
        """
        value = self.whole(name, label)
        if value is None and not any(refusal.field == name for refusal in self.refusals):
            self.refusals.append(
                Refusal("missing", f"“{label}” must not be empty.", "Type a number.", name)
            )
        return value or 0

    def percent(self, name: str, label: str) -> Decimal | None:
        """Returns a share from 0 to less than 100 %, or None when the field is empty."""
        typed = self.text(name).replace(",", ".")
        if not typed:
            return None
        try:
            share = Decimal(typed)
        except InvalidOperation:
            share = Decimal("NaN")
        if not (share.is_finite() and 0 <= share < 100):
            message = f"“{label}” must be from 0 to less than 100 %; it got “{typed[:20]}”."
            self.refusals.append(Refusal("out-of-range", message, "Type it like 12.5.", name))
            return None
        return share

    def amount(self, name: str, currency: str) -> int | None:
        """Returns an amount in minor units, or None when the field is empty."""
        typed = self.text(name)
        if not typed:
            return None
        try:
            return parse_amount(typed, currency, name)
        except Refused as refused:
            self.refusals += refused.refusals
            return None

    def raise_if_refused(self) -> None:
        """Raises all refusals that were gathered, together."""
        if self.refusals:
            raise Refused(*self.refusals)


def day_of(typed: str, field: str) -> date | None:
    """Returns a day as a date field posts it (ISO 8601), or None when the field is empty."""
    typed = typed.strip()
    if not typed:
        return None
    try:
        return date.fromisoformat(typed)
    except ValueError:
        message = f"“{typed[:20]}” is no day."
        raise refuse("form", message, "Type it like 2026-12-31.", field) from None


def fields_under(form: Mapping[str, str], start: str) -> dict[str, str]:
    """Returns the fields of a form whose names begin alike, by the rest of their names.

    >>> fields_under({"own_title": "Pot", "back": "/"}, "own_")
    {'title': 'Pot'}
    """
    return {name[len(start) :]: value for name, value in form.items() if name.startswith(start)}
