"""The weather decides how badly a stand-in's own interface behaves, by a seeded random number.

In calm weather nothing happens. Slow: every call takes half a second to two. Throttled: few calls a
second are taken, the rest get 429 with Retry-After. Flaky: a fifth of the calls fail with 500 or a
cut connection, before or after they took effect. Lost answers: a third of the calls take effect and
the answer never arrives. Down: nobody answers.
"""

import asyncio
import random
import time
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from standins.memory import Memory

KINDS = ("calm", "slow", "throttled", "flaky", "lost answers", "down")
SELLER_SIDES = {
    "corvello": "/corvello/counter/",
    "hagglet": "/hagglet/seller/",
    "loomstead": "/loomstead/desk/",
    "ownshop": "/ownshop/admin/",
    "ostrel": "/ostrel/api/",
    "merrowline": "/merrowline/v/",
}
NAMES = (*SELLER_SIDES, "mailroom")  # the mailroom speaks no HTTP; its desk asks for the weather
CALLS_PER_SECOND = {
    "corvello": 5.0,
    "hagglet": 40.0,
    "loomstead": 25.0,
    "ownshop": 60.0,
    "ostrel": 20.0,
    "merrowline": 20.0,
    "mailroom": 20.0,
}
THROTTLED_CALLS_PER_SECOND = 3.0
THROTTLED_FEW = 1.0  # of those whose calls are few anyway

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]


class Bucket:
    """A token bucket, which lets `rate` calls a second pass, and twice that at once."""

    def __init__(self, rate: float) -> None:
        self.rate, self.level, self.at = rate, rate * 2, time.monotonic()

    def take(self) -> float:
        """Takes one call; returns the seconds to wait when none is left."""
        now = time.monotonic()
        self.level = min(self.rate * 2, self.level + (now - self.at) * self.rate)
        self.at = now
        if self.level >= 1:
            self.level -= 1
            return 0.0
        return (1 - self.level) / self.rate


class Weather:
    """The weather of every stand-in, remembered across restarts."""

    def __init__(self, memory: Memory) -> None:
        self.memory = memory
        self._kinds = {name: memory.setting(f"weather.{name}", "calm") for name in NAMES}
        self._randoms = {name: random.Random(7) for name in NAMES}
        self._buckets = {name: Bucket(rate) for name, rate in CALLS_PER_SECOND.items()}

    def kind(self, name: str) -> str:
        """Returns the present weather of a stand-in."""
        return self._kinds[name]

    def change(self, name: str, kind: str, seed: int) -> None:
        """Sets it, with the seed from which its random numbers start."""
        self._kinds[name] = kind
        self._randoms[name] = random.Random(seed)
        usual = CALLS_PER_SECOND[name]
        throttled = THROTTLED_FEW if usual < 10 else THROTTLED_CALLS_PER_SECOND
        self._buckets[name] = Bucket(throttled if kind == "throttled" else usual)
        self.memory.remember(f"weather.{name}", kind)

    def dice(self, name: str) -> random.Random:
        """Returns the random numbers of a stand-in."""
        return self._randoms[name]

    def wait_for_call(self, name: str) -> float:
        """Counts one call against the rate limit; returns the seconds to wait when it is over it."""
        return self._buckets[name].take()


class WeatherLayer:
    """Puts the weather between a caller and the seller side of each stand-in."""

    def __init__(self, app: App, weather: Weather) -> None:
        self.app, self.weather = app, weather

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        path = scope.get("path", "")
        name = next((name for name, start in SELLER_SIDES.items() if path.startswith(start)), None)
        if scope["type"] != "http" or name is None:
            await self.app(scope, receive, send)
            return
        wait = self.weather.wait_for_call(name)
        if wait:
            await answer(
                send,
                429,
                b'{"error": "too many calls"}',
                [(b"retry-after", str(max(1, round(wait))).encode())],
            )
            return
        await self._blow(name, scope, receive, send)

    async def _blow(self, name: str, scope: Scope, receive: Receive, send: Send) -> None:
        kind, dice = self.weather.kind(name), self.weather.dice(name)
        if kind == "slow":
            await asyncio.sleep(dice.uniform(0.5, 2.0))
        if kind == "down":
            await answer(send, 503, b'{"error": "nobody is here"}')
            return
        roll = dice.random()
        if kind == "flaky" and roll < 0.2:
            if roll < 0.1:
                await answer(send, 500, b'{"error": "something broke"}')
                return
            if roll < 0.15:
                await cut(send)
                return
            await self.app(scope, receive, swallow)
            await cut(send)
            return
        if kind == "lost answers" and roll < 0.34:
            await self.app(scope, receive, swallow)
            await cut(send)
            return
        await self.app(scope, receive, send)


async def answer(
    send: Send, status: int, body: bytes, headers: list[tuple[bytes, bytes]] | None = None
) -> None:
    """Sends a small JSON answer."""
    heads = [
        (b"content-type", b"application/json"),
        (b"content-length", str(len(body)).encode()),
        *(headers or []),
    ]
    await send({"type": "http.response.start", "status": status, "headers": heads})
    await send({"type": "http.response.body", "body": body})


async def cut(send: Send) -> None:
    """Promises a body and never delivers it, so that the server cuts the connection."""
    await send(
        {"type": "http.response.start", "status": 200, "headers": [(b"content-length", b"4096")]}
    )
    await send({"type": "http.response.body", "body": b" ", "more_body": True})


async def swallow(message: MutableMapping[str, Any]) -> None:
    """Takes a call's effect and loses its answer."""
