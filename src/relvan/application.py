"""Puts the whole web application together: pages, API and webhooks on one workplace."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import anyio.to_thread
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import Response
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Receive, Scope, Send

from relvan import __version__
from relvan.api.app import add_api
from relvan.api.problems import problem_of_error
from relvan.core.refusal import UNSTORABLE, DatabaseAway, Refused
from relvan.logs import RequestLog
from relvan.services.channels.editions import take_up_editions
from relvan.services.open import open_workplace
from relvan.services.uncollected import collect_seldom
from relvan.services.workplace import Workplace
from relvan.settings import Settings
from relvan.store.schema import bring_up_to_date
from relvan.web.app import HEADERS, add_pages, page_of_error
from relvan.web.desk import NeedsTwoStep, NotSignedIn
from relvan.worker.signals import Waker, open_signals

MOST_BODY = 64_000_000


def make_application(
    settings: Settings | None = None, workplace: Workplace | None = None
) -> FastAPI:
    """Returns the application; its database is brought up to date first."""
    settings = settings or Settings()
    own = workplace or open_workplace(settings, wake=Waker(open_signals(settings)))
    bring_up_to_date(own.database)
    take_up_editions(own)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        anyio.to_thread.current_default_thread_limiter().total_tokens = settings.threads
        collect_seldom()
        yield
        own.close()

    app = FastAPI(
        title="Relvan",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        max_body_size=MOST_BODY,
    )
    app.state.workplace = own
    add_api(app)
    add_pages(app)
    for kind in (
        Refused,
        NotSignedIn,
        NeedsTwoStep,
        HTTPException,
        RequestValidationError,
        DatabaseAway,
        *UNSTORABLE,
        Exception,
    ):
        app.add_exception_handler(kind, tell_error)
    app.add_middleware(Guard)
    app.add_middleware(RequestLog)
    return app


def tell_error(request: Request, error: Exception) -> Response:
    """Answers errors of the API as problem+json, and all others as pages."""
    if request.url.path.startswith(("/api/", "/hooks/", "/metrics")):
        return problem_of_error(request, error)
    return page_of_error(request, error)


class Guard:
    """Puts the security headers on every answer."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def with_headers(message) -> None:  # type: ignore[no-untyped-def]
            if message["type"] == "http.response.start":
                there = {name.lower() for name, _ in message["headers"]}
                extra = [(k.lower().encode(), v.encode()) for k, v in HEADERS.items()]
                message["headers"] = [*message["headers"], *(h for h in extra if h[0] not in there)]
            await send(message)

        await self.app(scope, receive, with_headers)
