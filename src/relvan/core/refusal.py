"""Refusals: what a person can correct.

Every message names the thing in quotes, what it must be, and what it was; the fix says what to do.
"""

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Refusal:
    """One thing that is not accepted.

    `code` is stable and for programs, `message` says what is wrong, and `fix` says what to do.
    `field` names the field that it belongs to, or is empty when it belongs to the whole.
    """

    code: str
    message: str
    fix: str = ""
    field: str = ""


class Refused(Exception):
    """Raised by core and services when a wish is not carried out; nothing was changed."""

    def __init__(self, *refusals: Refusal) -> None:
        super().__init__("; ".join(refusal.message for refusal in refusals))
        self.refusals = refusals

    @property
    def first(self) -> Refusal:
        """The refusal that is shown when there is room for one."""
        return self.refusals[0]


class NotFound(Refused):
    """Raised when the thing that was named does not exist."""


class NotAllowed(Refused):
    """Raised when this person may not do that."""


class DatabaseAway(Exception):
    """Raised when the database cannot be reached; the request may be repeated later."""

    refusal = Refusal(
        "away", "The database cannot be reached just now.", "Nothing was half done. Try again soon."
    )

    def __str__(self) -> str:
        return f"{self.refusal.message} {self.refusal.fix}"


# What Python can hold and a database cannot: a number beyond 64 bits, half of a surrogate pair.
UNSTORABLE = (OverflowError, UnicodeEncodeError)


def unstorable() -> Refusal:
    """Returns the refusal of a number or text that no database can keep."""
    return Refusal(
        "form",
        "A number is too large, or a text cannot be written down.",
        "Correct it and send it again.",
    )


def refuse(code: str, message: str, fix: str = "", field: str = "") -> Refused:
    """Returns a `Refused` with one refusal, ready to be raised."""
    return Refused(Refusal(code, message, fix, field))


def not_found(thing: str, name: object) -> NotFound:
    """Returns a `NotFound`, ready to be raised."""
    fix = "Check the name, or search for it with Ctrl+K."
    return NotFound(Refusal("not-found", f"There is no {thing} “{name}”.", fix))


def refuse_if_any(refusals: Iterable[Refusal]) -> None:
    """Raises all refusals together, so that a person can correct them in one go."""
    found = tuple(refusals)
    if found:
        raise Refused(*found)
