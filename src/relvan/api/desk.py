"""What every call of the API needs: whose token it carries, and answers that are safe to ask for twice."""

import hashlib
from collections.abc import Callable, Coroutine
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.routing import APIRoute
from pydantic import BeforeValidator
from starlette.concurrency import run_in_threadpool

from relvan.core.refusal import Refusal, Refused
from relvan.services.people.repeated import Repeated, begin_call, end_call, forget_call
from relvan.services.people.sign_in import find_token
from relvan.services.workplace import Actor, Workplace
from relvan.store.product_list import ProductFilter


def _nothing(value: object) -> object:
    """An empty query value is no value."""
    return None if value == "" else value


Limit = Annotated[int, BeforeValidator(lambda value: 50 if value == "" else value), Query(ge=1, le=500)]
Cursor = Annotated[int, BeforeValidator(lambda value: 0 if value == "" else value), Query(ge=0)]
YesOrNo = Annotated[bool | None, BeforeValidator(_nothing), Query()]


class NoToken(Refused):
    """The call carries no token that is good."""


@dataclass(frozen=True)
class Caller:
    """One call of somebody with a token."""

    workplace: Workplace
    actor: Actor
    token_id: int


def caller(request: Request) -> Caller:
    """Whose bearer token it is."""
    workplace: Workplace = request.app.state.workplace
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    found = find_token(workplace, token.strip()) if scheme.lower() == "bearer" else None
    if found is None:
        message = "A bearer token is needed."
        raise NoToken(Refusal("unauthorized", message, "Make one by `relvan token NAME` and send it as Bearer."))
    return Caller(workplace, found[1], found[0])


By = Annotated[Caller, Depends(caller)]


def matching_products(
    q: str = "", category: str = "", family: str = "", on: str = "", not_on: str = "", in_stock: YesOrNo = None
) -> ProductFilter:
    """Which products a call is about, by the names that every list of products takes."""
    return ProductFilter(words=q, category=category, family=family, on=on, not_on=not_on, in_stock=in_stock)


Matching = Annotated[ProductFilter, Depends(matching_products)]


class RepeatableRoute(APIRoute):
    """A POST with an `Idempotency-Key` is carried out once, and answered the same ever after."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def once(request: Request) -> Response:
            key = request.headers.get("idempotency-key", "")
            if request.method != "POST" or not key:
                return await handle(request)
            return await _once(handle, request, key[:200])

        return once


async def _once(handle: Callable[[Request], Coroutine[Any, Any, Response]], request: Request, key: str) -> Response:
    by = await run_in_threadpool(caller, request)
    body = await request.body()
    digest = hashlib.sha256(f"{request.method} {request.url.path}?{request.url.query}\n".encode() + body).hexdigest()
    before = await run_in_threadpool(begin_call, by.workplace, by.token_id, key, digest)
    if isinstance(before, Repeated):
        return Response(before.body, before.status, media_type="application/json",
                        headers={"Idempotent-Replay": "true"})  # fmt: skip
    try:
        answer = await handle(request)
    except BaseException:
        await run_in_threadpool(forget_call, by.workplace, by.token_id, key)
        raise
    text = bytes(answer.body).decode()
    await run_in_threadpool(end_call, by.workplace, by.token_id, key, answer.status_code, text)
    return answer


def api_router(**options: Any) -> APIRouter:
    """A router whose calls need a token and are safe to repeat."""
    return APIRouter(route_class=RepeatableRoute, dependencies=[Depends(caller)], **options)


def page_of(items: list[Any], limit: int, cursor: Callable[[Any], object]) -> tuple[list[Any], str | None]:
    """The first `limit` of the items, and the cursor of the next page when there are more."""
    shown = items[:limit]
    return shown, str(cursor(shown[-1])) if len(items) > limit else None
