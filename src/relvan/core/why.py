"""The explanation behind a computed number or state, as a ladder of steps.

A decision in `core` returns its `Why`; the screen, the API and the tests read the same object.
"""

from dataclasses import dataclass
from typing import NamedTuple


class WhyStep(NamedTuple):
    """One rung: what is looked at, its value as text, and what made it so.

    `place` names where it can be changed, as a path of the application, or is empty.
    """

    label: str
    value: str
    detail: str = ""
    place: str = ""


@dataclass(frozen=True)
class Why:
    """The whole ladder, from what was known to what follows."""

    steps: tuple[WhyStep, ...] = ()

    def then(self, label: str, value: object, detail: str = "", place: str = "") -> "Why":
        """A ladder one rung longer."""
        return Why((*self.steps, WhyStep(label, str(value), detail, place)))

    def as_dicts(self) -> list[dict[str, str]]:
        """The steps as plain data: `[{label, value, detail, place}]`."""
        return [step._asdict() for step in self.steps]
