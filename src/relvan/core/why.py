"""The explanation behind a computed number or state, as a list of steps.

A decision in `core` returns its `Why`; the screen, the API and the tests read the same object.
"""

from dataclasses import dataclass
from typing import NamedTuple


class WhyStep(NamedTuple):
    """One step: what was considered, its value as text, and what led to it.

    `place` is the path of the page where it can be changed, or empty.
    """

    label: str
    value: str
    detail: str = ""
    place: str = ""


@dataclass(frozen=True)
class Why:
    """All steps, from what was known to the result."""

    steps: tuple[WhyStep, ...] = ()

    def then(self, label: str, value: object, detail: str = "", place: str = "") -> "Why":
        """Returns the explanation with one more step."""
        return Why((*self.steps, WhyStep(label, str(value), detail, place)))

    def as_dicts(self) -> list[dict[str, str]]:
        """Returns the steps as plain data: `[{label, value, detail, place}]`."""
        return [step._asdict() for step in self.steps]
