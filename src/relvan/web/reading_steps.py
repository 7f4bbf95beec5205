"""Reads price steps from the lines of a form: kind, value and direction of each."""

from collections.abc import Iterable, Mapping
from typing import Any

from relvan.core.money import as_decimal, parse_amount
from relvan.core.prices.steps import PriceStep, steps_from
from relvan.core.refusal import refuse
from relvan.web.desk import PostedForm


def read_steps(form: PostedForm, currency: str) -> tuple[PriceStep, ...]:
    """Returns the steps of a form, in their order; a line without a kind and a value is skipped.
    Amounts are in the `currency` of the price list, and after a step that converts, in the currency
    to which it converts.

    Raises:
        Refused: if a line is no step, or has a value without a kind.
    """
    steps: list[dict[str, Any]] = []
    rows = zip(
        form.all("step_kind"), form.all("step_value"), form.all("step_direction"), strict=False
    )
    for kind, value, direction in rows:
        if kind == "percent":
            steps.append({"kind": kind, "percent": value.replace(",", ".").strip()})
        elif kind == "amount":
            steps.append({"kind": kind, "amount": _signed_amount(value, currency)})
        elif kind == "cover fees":
            steps.append({"kind": kind})
        elif kind == "convert":
            currency = value.strip().upper()
            steps.append({"kind": kind, "currency": currency})
        elif kind == "ending":
            endings = [part.strip() for part in value.replace(";", ",").split(",") if part.strip()]
            steps.append({"kind": kind, "endings": endings, "direction": direction or "nearest"})
        elif kind or value.strip():
            message = f"“{value.strip()[:30] or kind[:30]}” stands beside no kind of step."
            raise refuse("missing", message, "Choose the kind, or empty the value.", "price_steps")
    return steps_from(steps)


def _signed_amount(typed: str, currency: str) -> int:
    """Returns the minor units of an amount that may have a sign before it."""
    text = typed.strip().replace("\u2212", "-")
    if not text:
        raise refuse(
            "missing", "A step of an amount needs the amount.", "Like -1.50 or +2.", "price_steps"
        )
    sign = -1 if text.startswith("-") else 1
    return sign * parse_amount(text.lstrip("+-").strip(), currency, "price_steps")


def step_rows(steps: Iterable[Mapping[str, Any]], currency: str) -> list[dict[str, str]]:
    """Returns price steps as the rows of the form show them, with an empty one at the end."""
    found = []
    for step in steps:
        endings = ", ".join(f"{ending:02d}" for ending in step.get("endings", ()))
        value = str(step.get("percent", step.get("currency", endings)))
        if step.get("kind") == "amount":
            value = f"{as_decimal(int(step['amount']), currency):+}"
        currency = str(step.get("currency", currency))
        found.append(
            {
                "kind": step.get("kind", ""),
                "value": value,
                "direction": step.get("direction", "nearest"),
            }
        )
    return [*found, {"kind": "", "value": "", "direction": "nearest"}]
