"""Builds the why drawer, with each step of a derivation, its figure, and a bar drawn to the scale
of the largest.
"""

from fastapi.responses import HTMLResponse

from relvan.core.people.roles import Right
from relvan.core.why import Why
from relvan.web.desk import Desk, is_setup


def why_page(desk: Desk, title: str, why: Why, links: list[tuple[str, str]]) -> HTMLResponse:
    """Returns the drawer's content; links into Setup are for those who may go there."""
    sizes = [_size(step.value) for step in why.steps]
    largest = max(sizes, default=0) or 1
    steps = list(zip(why.steps, sizes, strict=True))
    links = [(name, path) for name, path in links if desk.may(Right.SETUP) or not is_setup(path)]
    return desk.fragment("parts/_why.html", title=title, steps=steps, largest=largest, links=links)


def _size(value: str) -> float:
    """Returns a figure's length on the drawing; 0 for a value that is no figure."""
    try:
        return abs(float(value))
    except ValueError:
        return 0.0
