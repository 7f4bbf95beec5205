"""The why drawer: each step of a derivation with its figure, and a bar drawn to the scale of the
largest."""

from fastapi.responses import HTMLResponse

from relvan.core.why import Why
from relvan.web.desk import Desk


def why_page(desk: Desk, title: str, why: Why, links: list[tuple[str, str]]) -> HTMLResponse:
    """The drawer's content."""
    sizes = [_size(step.value) for step in why.steps]
    largest = max(sizes, default=0) or 1
    steps = list(zip(why.steps, sizes, strict=True))
    return desk.fragment("parts/_why.html", title=title, steps=steps, largest=largest, links=links)


def _size(value: str) -> float:
    """A figure's length on the drawing; 0 for what is no figure."""
    try:
        return abs(float(value))
    except ValueError:
        return 0.0
