"""Puts the stand-ins together into one application on one port."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI

from standins import console, corvello, corvello_pages, hagglet, loomstead, ostrel, ownshop
from standins.memory import Memory
from standins.rules import load_folder
from standins.weather import Weather, WeatherLayer


def make_world_app(data: str | Path, base_url: str, rulebooks: Path | None = None) -> WeatherLayer:
    """The whole world, on a SQLite file; webhooks are sent while it runs. Rulebooks in a folder go before own rules."""
    memory = Memory(data)
    if rulebooks is not None:
        load_folder(memory, rulebooks)
    weather = Weather(memory)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        hooks = ownshop.HookSender(memory, weather)
        hooks.start()
        yield
        hooks.stopped.set()
        hooks.join(timeout=6)
        memory.close()

    app = FastAPI(title="The outside world", lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.memory, app.state.weather, app.state.base_url = memory, weather, base_url
    routers: list[Any] = [
        corvello.counter, corvello_pages.router, hagglet.seller, loomstead.desk, ownshop.admin, ostrel.desk,
        console.router,
    ]  # fmt: skip
    for router in routers:
        app.include_router(router)
    return WeatherLayer(app, weather)
