"""Puts the calls of the API in order, the most particular path first, and refuses the methods that
a path does not have.

A path such as `/listings/publish` also matches `/listings/{listing_id}`. Without this, a method that
the first one lacks and the second has would be carried out by the second one.
"""

from collections import defaultdict
from collections.abc import Iterable

from fastapi import APIRouter
from fastapi.responses import Response
from fastapi.routing import APIRoute
from starlette.exceptions import HTTPException

ALL = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE")


def one_router(routers: Iterable[APIRouter]) -> APIRouter:
    """Returns one router with the calls of many. Every path is followed by a call that answers all
    other methods with 405 and an `Allow` that names those that the path has.
    """
    by_path: dict[str, list[APIRoute]] = defaultdict(list)
    for router in routers:
        for route in router.routes:
            if isinstance(route, APIRoute):
                by_path[route.path].append(route)
    found = APIRouter()
    for path in sorted(by_path, key=_particular):
        found.routes += [*by_path[path], _closing(path, by_path[path])]
    return found


def _particular(path: str) -> tuple[int, ...]:
    """Returns a key by which a path comes before all that match more: a word before a variable, a
    variable before one that takes slashes too, and a longer path before a shorter one.
    """
    kinds = [2 if ":path" in part else int("{" in part) for part in path.split("/")]
    return (*kinds, 3)


def _closing(path: str, calls: Iterable[APIRoute]) -> APIRoute:
    methods = {method for call in calls for method in call.methods or ()}
    allowed = {"Allow": ", ".join(sorted(methods))}

    def refuse_method() -> Response:
        raise HTTPException(405, headers=allowed)

    others = [method for method in ALL if method not in methods]
    return APIRoute(path, refuse_method, methods=others, include_in_schema=False)
