"""Returns the addresses of pages by the names of their routes, so that templates and pages name a
page and never put its path together.
"""

import re
from collections.abc import Iterable, Mapping
from urllib.parse import quote, urlencode

from fastapi import APIRouter
from fastapi.routing import APIRoute

_paths: dict[str, str] = {}
PLACE = re.compile(r"\{(\w+)(?::\w+)?\}")


def know_pages(routers: Iterable[APIRouter]) -> None:
    """Learns the paths of pages; every application has the same ones."""
    for router in routers:
        _paths.update(
            {route.name: route.path for route in router.routes if isinstance(route, APIRoute)}
        )


def address_of(name: str, /, query: Mapping[str, object] | None = None, **places: object) -> str:
    """Returns the address of a page by the name of its route, with the values in its path and in
    its query. Query values that are None or empty are left out.

    Raises:
        LookupError: if there is no such page, or its path needs other values.
    """
    path = _paths[name]
    wanted = PLACE.findall(path)
    if set(wanted) != places.keys():
        raise LookupError(f"The page {name} wants {wanted} in its path; it got {sorted(places)}.")
    base = PLACE.sub(lambda found: quote(str(places[found[1]])), path) if wanted else path
    pairs = {key: str(value) for key, value in (query or {}).items() if value not in (None, "")}
    return f"{base}?{urlencode(pairs)}" if pairs else base
