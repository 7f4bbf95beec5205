"""Puts the stand-ins together into one application on one port."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI

from standins import (
    buyers,
    centres,
    console,
    corvello,
    corvello_pages,
    hagglet,
    hagglet_sales,
    journeys,
    loomstead,
    loomstead_orders,
    mailroom,
    merrowline,
    ostrel,
    ownshop,
    tracking_pages,
    worlds,
)
from standins.hooks import HookSender
from standins.mailroom import Mailroom
from standins.memory import Memory
from standins.rules import load_folder
from standins.weather import App, Receive, Scope, Send, Weather, WeatherLayer

ROUTERS: list[Any] = [
    centres.router,
    corvello.counter,
    corvello_pages.router,
    hagglet.seller,
    hagglet_sales.sales_desk,
    loomstead.desk,
    loomstead_orders.order_desk,
    ownshop.admin,
    merrowline.desk,
    ostrel.desk,
    mailroom.router,
    journeys.router,
    tracking_pages.router,
    worlds.router,
    buyers.router,
    console.router,
]


class Present:
    """A world as it is now: its memory, its weather, and the webhooks that are on their way. Every
    call belongs to the world in which it came, also when that world has ended meanwhile.
    """

    def __init__(
        self, app: App, data: str | Path, base_url: str, rulebooks: Path | None = None
    ) -> None:
        self.memory, self.base_url = Memory(data), base_url
        if rulebooks is not None:
            load_folder(self.memory, rulebooks)
        self.weather = Weather(self.memory)
        self._layer = WeatherLayer(app, self.weather)
        self._hooks = HookSender(self.memory, self.weather)
        self._hooks.start()
        self.mailroom: Mailroom | None = None

    def open_mailroom(self, port: int = 0) -> Mailroom:
        """Lets mail arrive at a port; 0 takes any that is free."""
        if self.mailroom is None:
            self.mailroom = Mailroom(self.memory, self.weather, port)
        return self.mailroom

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await self._layer({**scope, "world": self}, receive, send)

    def end(self) -> None:
        """Stops sending and closes the file."""
        self._hooks.stopped.set()
        self._hooks.join(timeout=6)
        if self.mailroom is not None:
            self.mailroom.close()
        self.memory.close()


def make_routes() -> FastAPI:
    """Returns the application of all stand-ins, which needs a `Present` around it."""
    app = FastAPI(title="The outside world", docs_url=None, redoc_url=None)
    for router in ROUTERS:
        app.include_router(router)
    return app


def make_world_app(
    data: str | Path, base_url: str, rulebooks: Path | None = None, mail_port: int = 0
) -> FastAPI:
    """Returns the whole world on a SQLite file; webhooks are sent and mail arrives while it runs.
    Rulebooks in a folder replace the stand-ins' own rules. Without a port, mail arrives at any that
    is free, which `GET /world` names.
    """
    routes = make_routes()

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        present = Present(routes, data, base_url, rulebooks)
        present.open_mailroom(mail_port)
        app.mount("/", present)
        yield
        present.end()

    return FastAPI(lifespan=lifespan, docs_url=None, redoc_url=None, openapi_url=None)
