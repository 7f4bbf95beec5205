"""Builds the OpenAPI description of the API, with every error that a call can answer."""

from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from pydantic.json_schema import models_json_schema

from relvan.api.described import MOST_CURSOR
from relvan.api.problems import MEDIA, Problem
from relvan.services.workplace import Workplace

OF_ALL = {
    401: "The call carries no token that is good.",
    403: "The role of the token's owner does not allow it.",
    422: "What was sent cannot be carried out; `errors` says which field is wrong and what mends it.",
    500: "Something broke on our side; the message has a reference to quote.",
    503: "The database is away. Nothing was done; send the call again.",
}
OF_NAMED = {
    404: "What the address, or a field, names is not there.",
    409: "The state of what the call is about does not allow it.",
}
OF_CHANGES = {
    **OF_NAMED,
    400: "The body cannot be read.",
    413: "The body is too large.",
}
OF_WORDS = {
    405: "The last part of the address is the word of another call, which has other methods."
}


def describe(app: FastAPI) -> dict[str, Any]:
    """Returns the OpenAPI description, which is built once. FastAPI's own form of a 422 is replaced
    by ours.
    """
    if app.openapi_schema is None:
        workplace: Workplace = app.state.workplace
        found = get_openapi(title=app.title, version=app.version, routes=app.routes)
        _add_problem(found)
        _add_bounds(found)
        _add_words(found["paths"])
        amount = found["components"]["schemas"]["Amount"]["properties"]
        amount["currency"] = {"type": "string", "enum": [workplace.firm.currency]}
        for path, calls in found["paths"].items():
            for method, call in calls.items():
                call["responses"].pop("422", None)
                for status in _statuses(path, method, call):
                    call["responses"][str(status)] = {"$ref": f"#/components/responses/{status}"}
        app.openapi_schema = found
    return app.openapi_schema


def _statuses(path: str, method: str, call: dict[str, Any]) -> list[int]:
    named = OF_NAMED if "{" in path or call.get("parameters") else {}
    words = OF_WORDS if _words_of(call) else {}
    return sorted({**OF_ALL, **named, **words, **(OF_CHANGES if method != "get" else {})})


def _add_words(paths: dict[str, Any]) -> None:
    """Tells of the last part of an address which words it cannot be, because they are those of
    other calls: `/products/{sku}` beside `/products/change`.
    """
    for path, calls in paths.items():
        start, _, last = path.rpartition("/")
        others = (other.rpartition("/") for other in paths if other != path)
        words = sorted(word for before, _, word in others if before == start and "{" not in word)
        if "{" not in last or not words:
            continue
        for call in calls.values():
            for parameter in call["parameters"]:
                if (
                    f"{{{parameter['name']}}}" == last
                    and parameter["schema"].get("type") == "string"
                ):
                    parameter["schema"]["not"] = {"enum": words}


def _words_of(call: dict[str, Any]) -> list[str]:
    """Returns the words that the last part of a call's address cannot be."""
    told = (parameter["schema"].get("not", {}) for parameter in call.get("parameters", ()))
    return [word for one in told for word in one.get("enum", ())]


def _add_bounds(found: dict[str, Any]) -> None:
    """Tells of every whole number in an address how large it may be: it is the id of something."""
    for calls in found["paths"].values():
        for call in calls.values():
            for parameter in call.get("parameters", ()):
                kinds = [parameter["schema"], *parameter["schema"].get("anyOf", ())]
                for kind in kinds:
                    if kind.get("type") == "integer":
                        kind.setdefault("maximum", MOST_CURSOR)
                        kind.setdefault("minimum", 1 if parameter["in"] == "path" else 0)


def _add_problem(found: dict[str, Any]) -> None:
    _, shapes = models_json_schema(
        [(Problem, "serialization")], ref_template="#/components/schemas/{model}"
    )
    schemas = found["components"].setdefault("schemas", {})
    schemas.update(shapes["$defs"])
    for name in ("HTTPValidationError", "ValidationError"):
        schemas.pop(name, None)
    found["components"]["responses"] = {
        str(status): {
            "description": text,
            "content": {MEDIA: {"schema": {"$ref": "#/components/schemas/Problem"}}},
        }
        for status, text in {**OF_ALL, **OF_NAMED, **OF_CHANGES, **OF_WORDS}.items()
    }
