"""Holds what every call of the API needs: the check of its token, and answers that are safe to ask
for twice.
"""

import hashlib
from collections import Counter
from collections.abc import Callable, Coroutine, Iterator
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Annotated, Any, get_args, get_origin

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.dependencies.models import Dependant
from fastapi.routing import APIRoute
from fastapi.security import HTTPBearer
from pydantic import (
    AwareDatetime,
    BeforeValidator,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    WithJsonSchema,
)
from pydantic_core.core_schema import CoreSchema, no_info_after_validator_function
from starlette.concurrency import run_in_threadpool

from relvan.api.described import MOST_CURSOR
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, Refused, refuse
from relvan.services.people.repeated import RepeatedAnswer, begin_call, end_call, forget_call
from relvan.services.people.tokens import find_token
from relvan.services.workplace import Actor, Workplace
from relvan.store.product_list import ProductFilter


def _nothing(value: object) -> object:
    """Turns an empty query value into no value."""
    return None if value == "" else value


MOST_PAGE = 500
YES_OR_NO = ("true", "false", "yes", "no", "on", "off", "1", "0", "y", "n", "t", "f")
# the bounds stand before the validator, so that the description of the API has them
Limit = Annotated[
    int,
    Field(ge=1, le=MOST_PAGE),
    BeforeValidator(lambda value: 50 if value == "" else value),
    Query(),
]
Cursor = Annotated[
    int,
    Field(ge=0, json_schema_extra={"maximum": MOST_CURSOR}),
    BeforeValidator(lambda value: 0 if value == "" else value),
    Query(),
]
# an id in the address that may be left out
IdOrNone = Annotated[
    int | None,
    Field(ge=0, json_schema_extra={"maximum": MOST_CURSOR}),
    BeforeValidator(_nothing),
    Query(),
]
# a moment in the address that may be left out
MomentOrNone = Annotated[AwareDatetime | None, BeforeValidator(_nothing), Query()]
# a day in the address that may be left out
DayOrNone = Annotated[date | None, BeforeValidator(_nothing), Query()]
LayoutId = Annotated[int, Query(ge=0, le=MOST_CURSOR)]
YesOrNo = Annotated[
    bool | None,
    BeforeValidator(_nothing),
    WithJsonSchema({"type": "string", "enum": ["", *YES_OR_NO]}),
    Query(),
]


@dataclass(frozen=True)
class OneOf:
    """Marks a query value that must be one of these, or empty. Another one is refused in our words;
    the description lists those that are allowed.
    """

    field: str
    values: tuple[str, ...]

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return no_info_after_validator_function(self.check, handler(source))

    def __get_pydantic_json_schema__(
        self, _schema: CoreSchema, _handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        return {"type": "string", "enum": ["", *self.values]}

    def check(self, value: str) -> str:
        """Returns the value if it is allowed."""
        if value and value not in self.values:
            message = (
                f"“{self.field}” must be one of {', '.join(self.values)}; it got “{value[:30]}”."
            )
            raise refuse("not-allowed", message, "Choose one of them, or leave it out.", self.field)
        return value


@dataclass(frozen=True)
class SomeOf(OneOf):
    """Marks a query value that may be several of these, with commas between; one of them is enough
    for what is looked for.
    """

    def __get_pydantic_json_schema__(
        self, _schema: CoreSchema, _handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        one = "|".join(self.values)
        return {"type": "string", "pattern": f"^(?:(?:{one})(?:,(?:{one}))*)?$"}

    def check(self, value: str) -> str:
        """Returns the value if all of it is allowed."""
        for one in several(value):
            OneOf.check(self, one)
        return value


def several(value: str) -> tuple[str, ...]:
    """Returns the values that stand in a text with commas between, each once."""
    return tuple(dict.fromkeys(part.strip() for part in value.split(",") if part.strip()))


class NoToken(Refused):
    """The call carries no valid token."""


@dataclass(frozen=True)
class Caller:
    """One call of somebody with a token."""

    workplace: Workplace
    actor: Actor
    token_id: int


bearer = HTTPBearer(auto_error=False, description="A token made by `relvan token NAME`.")


def caller(request: Request) -> Caller:
    """Returns who called, by the API token."""
    workplace: Workplace = request.app.state.workplace
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    found = find_token(workplace, token.strip()) if scheme.lower() == "bearer" else None
    if found is None:
        message = "A bearer token is needed."
        raise NoToken(
            Refusal(
                "unauthorized", message, "Make one by `relvan token NAME` and send it as Bearer."
            )
        )
    request.state.caller = Caller(workplace, found[1], found[0])
    _refuse_wrong_names(request)
    return Caller(workplace, found[1], found[0])


By = Annotated[Caller, Depends(caller)]


def _refuse_wrong_names(request: Request) -> None:
    """Refuses a query name that the call does not know, or that is there twice. It is most likely a
    misspelt filter, and a call that ignored it would act on more things than its sender means.
    """
    route = request.scope["route"]
    unknown = [name for name in request.query_params if name not in route.query_names]
    if unknown:
        message = f"This call takes no “{unknown[0][:40]}” in its address."
        known = ", ".join(sorted(route.query_names)) or "nothing"
        raise refuse("unknown", message, f"It takes {known}.", unknown[0][:40])
    names = Counter(name for name, _ in request.query_params.multi_items())
    for name, times in names.items():
        if times > 1 and name not in route.repeated_names:
            message = f"“{name[:40]}” is in the address {times} times."
            raise refuse("repeated", message, "Leave one of them.", name[:40])


def matching_products(
    q: str = "",
    category: str = "",
    family: str = "",
    on: str = "",
    not_on: str = "",
    in_stock: YesOrNo = None,
) -> ProductFilter:
    """Returns which products a call is about, by the names that every list of products takes."""
    return ProductFilter(
        words=q, category=category, family=family, on=on, not_on=not_on, in_stock=in_stock
    )


Matching = Annotated[ProductFilter, Depends(matching_products)]


class RepeatableRoute(APIRoute):
    """Carries out a POST with an `Idempotency-Key` once, and answers the same whenever it is
    repeated.
    """

    @cached_property
    def query_names(self) -> frozenset[str]:
        """The names that the call takes in its address; every list may be asked for pages."""
        return frozenset(param.alias for param in _query(self.dependant)) | {"limit", "after"}

    @cached_property
    def repeated_names(self) -> frozenset[str]:
        """Those of the names that may be in the address several times."""
        found = []
        for param in _query(self.dependant):
            kinds = (param.field_info.annotation, *get_args(param.field_info.annotation))
            if any(get_origin(kind) is list for kind in kinds):
                found.append(param.alias)
        return frozenset(found)

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def once(request: Request) -> Response:
            key = request.headers.get("idempotency-key", "")
            if request.method != "POST" or not key:
                return await handle(request)
            return await _once(handle, request, key[:200])

        return once


def _query(dependant: Dependant) -> Iterator[Any]:
    yield from dependant.query_params
    for inner in dependant.dependencies:
        yield from _query(inner)


async def _once(
    handle: Callable[[Request], Coroutine[Any, Any, Response]], request: Request, key: str
) -> Response:
    by = await run_in_threadpool(caller, request)
    body = await request.body()
    digest = hashlib.sha256(
        f"{request.method} {request.url.path}?{request.url.query}\n".encode() + body
    ).hexdigest()
    before = await run_in_threadpool(begin_call, by.workplace, by.token_id, key, digest)
    if isinstance(before, RepeatedAnswer):
        return Response(
            before.body,
            before.status,
            media_type="application/json",
            headers={"Idempotent-Replay": "true"},
        )
    try:
        answer = await handle(request)
    except BaseException:
        await run_in_threadpool(forget_call, by.workplace, by.token_id, key)
        raise
    text = bytes(answer.body).decode()
    await run_in_threadpool(end_call, by.workplace, by.token_id, key, answer.status_code, text)
    return answer


def api_router(**options: Any) -> APIRouter:
    """Returns a router whose calls need a token and are safe to repeat."""
    return APIRouter(
        route_class=RepeatableRoute, dependencies=[Depends(bearer), Depends(caller)], **options
    )


def only_owners(by: By) -> None:
    """Refuses whoever may not set things up, also for looking."""
    by.actor.must(Right.SETUP)


def setup_router(tag: str = "set-up") -> APIRouter:
    """Returns a router whose calls are for those alone who may set things up."""
    router = api_router(tags=[tag])
    router.dependencies.append(Depends(only_owners))
    return router


def gives_file(*media: str) -> dict[str, Any]:
    """Returns the arguments for the decorator of a call that answers with a file of one of these
    media types.
    """
    content = {kind: {"schema": {"type": "string", "format": "binary"}} for kind in media}
    return {
        "response_class": Response,
        "responses": {200: {"description": "The file.", "content": content}},
    }


def page_of(
    items: list[Any], limit: int, cursor: Callable[[Any], object]
) -> tuple[list[Any], str | None]:
    """Returns the first `limit` of the items, and the cursor of the next page when there are more."""
    shown = items[:limit]
    return shown, str(cursor(shown[-1])) if len(items) > limit else None
