"""What a person can mend: a refusal names the thing, says what it must be and what to do.

One grammar for every message: the thing in quotes, what it must be, what it got, what to do.
"""

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Refusal:
    """One thing that is not accepted.

    `code` is stable and for machines, `message` says what is wrong, `fix` what to do; `field` names the
    input it belongs to, or is empty when it belongs to the whole.
    """

    code: str
    message: str
    fix: str = ""
    field: str = ""


class Refused(Exception):
    """Raised by core and services when a person's wish is not carried out; nothing was changed."""

    def __init__(self, *refusals: Refusal) -> None:
        super().__init__("; ".join(refusal.message for refusal in refusals))
        self.refusals = refusals

    @property
    def first(self) -> Refusal:
        """The refusal that is told when there is room for one."""
        return self.refusals[0]


class NotFound(Refused):
    """The thing named does not exist."""


class NotAllowed(Refused):
    """This person may not do that."""


class DatabaseAway(Exception):
    """The database cannot be reached; it is nobody's mistake, and whoever asked may ask again."""

    refusal = Refusal("away", "The database cannot be reached just now.", "Nothing was half done. Try again soon.")

    def __str__(self) -> str:
        return f"{self.refusal.message} {self.refusal.fix}"


# What Python can hold and a database cannot: a number beyond 64 bits, half of a surrogate pair.
UNSTORABLE = (OverflowError, UnicodeEncodeError)


def unstorable() -> Refusal:
    """A number or text that no database could keep."""
    return Refusal("form", "A number is too large, or a text cannot be written down.", "Correct it and send it again.")


def refuse(code: str, message: str, fix: str = "", field: str = "") -> Refused:
    """A `Refused` of one refusal, ready to raise."""
    return Refused(Refusal(code, message, fix, field))


def not_found(thing: str, name: object) -> NotFound:
    """A `NotFound`, ready to raise."""
    fix = "Check the name, or search for it with Ctrl+K."
    return NotFound(Refusal("not-found", f"There is no {thing} “{name}”.", fix))


def refuse_if_any(refusals: Iterable[Refusal]) -> None:
    """Raise all refusals together, so that a person mends them in one go."""
    found = tuple(refusals)
    if found:
        raise Refused(*found)
