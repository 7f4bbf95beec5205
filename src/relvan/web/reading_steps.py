"""Price steps as lines of a form: kind, value and direction of each."""

from typing import Any

from relvan.core.prices.steps import PriceStep, steps_from
from relvan.web.desk import PostedForm


def read_steps(form: PostedForm) -> tuple[PriceStep, ...]:
    """The steps of a form, in their order; a line without a kind counts for nothing. Refused: what is no step."""
    steps: list[dict[str, Any]] = []
    rows = zip(form.all("step_kind"), form.all("step_value"), form.all("step_direction"), strict=False)
    for kind, value, direction in rows:
        if kind == "percent":
            steps.append({"kind": kind, "percent": value.replace(",", ".").strip()})
        elif kind == "amount":
            steps.append({"kind": kind, "amount": value.strip()})
        elif kind == "cover fees":
            steps.append({"kind": kind})
        elif kind == "convert":
            steps.append({"kind": kind, "currency": value.strip().upper()})
        elif kind == "ending":
            endings = [part.strip() for part in value.replace(";", ",").split(",") if part.strip()]
            steps.append({"kind": kind, "endings": endings, "direction": direction or "nearest"})
    return steps_from(steps)


def step_row(step: dict[str, Any]) -> dict[str, str]:
    """A price step as its row of the form shows it."""
    endings = ", ".join(f"{ending:02d}" for ending in step.get("endings", ()))
    value = str(step.get("percent", step.get("amount", step.get("currency", endings))))
    return {"kind": step.get("kind", ""), "value": value, "direction": step.get("direction", "nearest")}
