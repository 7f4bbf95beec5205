"""Reads a stock rule from the fields of a form."""

from typing import Any

from relvan.web.desk import PostedForm
from relvan.web.reading import FormReader


def read_policy(form: PostedForm) -> dict[str, Any]:
    """Returns the stock rule in a form; an empty field leaves its part of the rule unset. What is
    no number is refused.
    """
    read = FormReader(form)
    policy = {
        "share": read.text("share").replace(",", ".") or "100",
        "hold_back": read.whole("hold_back", "Buffer") or 0,
        "cap": read.whole("cap", "Cap"),
        "least": read.whole("least", "Show 0 below") or 0,
        "fixed": read.whole("fixed", "Fixed number"),
        "beyond_stock": form.get("beyond_stock") == "yes",
        "risk": read.text("risk").replace(",", ".") or None,
        "pause_at_zero": form.get("at_zero") == "pause",
    }
    read.raise_if_refused()
    return policy
