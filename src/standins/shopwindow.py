"""Renders the world's public pages."""

from pathlib import Path

from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader

pages = Environment(loader=FileSystemLoader(Path(__file__).parent / "templates"), autoescape=True)
pages.filters["money"] = lambda cents: f"{cents / 100:,.2f}"


def page(template: str, /, **values: object) -> HTMLResponse:
    """Renders one of the world's pages."""
    return HTMLResponse(pages.get_template(template).render(**values))
