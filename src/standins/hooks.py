"""Sends the webhooks of the own shop, signed as the Standard Webhooks specification says."""

import base64
import hashlib
import hmac
import threading
import time
from functools import cache
from typing import Any

import httpx

from standins.memory import Memory
from standins.weather import Weather

trusted_roots = cache(httpx.create_ssl_context)  # reading them takes a tenth of a second


def signature(secret: str, message: str, timestamp: int, body: str) -> str:
    """Returns the `webhook-signature` of the Standard Webhooks specification, version 1
    (HMAC-SHA256).
    """
    key = base64.b64decode(secret.removeprefix("whsec_"))
    signed = hmac.new(key, f"{message}.{timestamp}.{body}".encode(), hashlib.sha256).digest()
    return "v1," + base64.b64encode(signed).decode()


class HookSender(threading.Thread):
    """Delivers webhooks: once in calm weather; twice, late and out of order in any other."""

    def __init__(self, memory: Memory, weather: Weather) -> None:
        super().__init__(daemon=True, name="hooks")
        self.memory, self.weather, self.stopped = memory, weather, threading.Event()

    def run(self) -> None:
        with httpx.Client(timeout=5, verify=trusted_roots()) as client:
            while not self.stopped.wait(0.05):
                url = self.memory.setting("hook.url")
                for row in self.memory.rows(
                    "SELECT * FROM hook_delivery WHERE done = 0 AND due <= ? ORDER BY due, id LIMIT 20",
                    time.time(),
                ):
                    if url and not self.stopped.is_set():
                        self._deliver(client, url, row)

    def _deliver(self, client: httpx.Client, url: str, row: Any) -> None:
        dice, bad = self.weather.dice("ownshop"), self.weather.kind("ownshop") != "calm"
        if bad and row["tries"] == 0 and dice.random() < 0.6:
            self._settle(row["id"], done=False, wait=dice.uniform(0.2, 3))
            return
        ok = self._post(client, url, row)
        if ok and bad and dice.random() < 0.5:
            self._post(client, url, row)
        self._settle(row["id"], done=ok, wait=min(30.0, 0.5 * 2 ** min(row["tries"], 6)))

    def _post(self, client: httpx.Client, url: str, row: Any) -> bool:
        timestamp = int(time.time())
        headers = {
            "content-type": "application/json",
            "webhook-id": row["event"],
            "webhook-timestamp": str(timestamp),
            "webhook-signature": signature(
                self.memory.setting("hook.secret"), row["event"], timestamp, row["body"]
            ),
        }
        try:
            return client.post(url, content=row["body"], headers=headers).is_success
        except httpx.HTTPError:
            return False

    def _settle(self, delivery: int, *, done: bool, wait: float) -> None:
        if self.stopped.is_set():
            return
        with self.memory.writing() as db:
            db.execute(
                "UPDATE hook_delivery SET done = ?, tries = tries + 1, due = ? WHERE id = ?",
                (int(done), time.time() + wait, delivery),
            )


def repeat_hooks(memory: Memory, times: int) -> int:
    """Sends every webhook delivered so far again, `times` times, and returns the number queued."""
    with memory.writing() as db:
        rows = db.execute(
            "SELECT event, channel, body FROM hook_delivery WHERE done = 1 GROUP BY event"
        ).fetchall()
        for row in rows:
            for _ in range(times):
                db.execute(
                    "INSERT INTO hook_delivery (event, channel, body, due) VALUES (?, ?, ?, 0)",
                    tuple(row),
                )
    return len(rows) * times
